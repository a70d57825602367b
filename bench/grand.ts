import { readFileSync } from 'node:fs';
import { levelOf, onsetOf, type Sides } from '../core/sampling/struckNote';
import { DB_PER_DECADE } from '../core/sampling/velocityRanges';
import { BankFile } from '../engine/banks/bankFile';
import { addWholeBank } from '../engine/banks/wholeBank';
import { bounce, type Instrument } from '../engine/instrument/instrument';
import { GRAND, settingOf } from '../engine/instrument/sounds';
import { atMost, type Figure } from './figure';
import { loadInstrument, RATE } from './sound';
import { some } from './sizes';

const [LOWEST, HIGHEST] = [21, 108];
const VELOCITIES = [12, 30, 50, 70, 90, 110, 127];

const grandFile = (): Promise<BankFile> =>
  BankFile.read(readFileSync(new URL('../node_modules/.cache/grand/grand.sf3', import.meta.url)));

function level(instrument: Instrument, key: number, velocity: number): number {
  instrument.panic();
  const sides = bounce(instrument, [{ at: 0, channel: 0, message: { type: 'noteOn', key, velocity } }], 0.4, RATE);
  return levelOf(sides, RATE);
}

/** Largest difference between neighbours in a list. */
const largestStep = (levels: readonly number[]): number =>
  Math.max(...levels.slice(1).map((x, i) => Math.abs(x - levels[i]!)));

/** Evenness of the grand over keys and velocities, and its cost. */
export async function grandFigures(): Promise<Figure[]> {
  const instrument = await loadInstrument();
  const smallBegan = performance.now();
  instrument.setChannel(1, settingOf('concert grand'));
  const small = performance.now() - smallBegan;

  const began = performance.now();
  const file = await grandFile();
  addWholeBank(instrument, GRAND, file);
  instrument.setChannel(0, settingOf('full grand'));
  level(instrument, 60, 90);
  const first = performance.now() - began;

  const keys = some(
    Array.from({ length: HIGHEST - LOWEST + 1 }, (_, i) => LOWEST + i),
    6,
  );
  const betweenKeys = VELOCITIES.map((v) => largestStep(keys.map((key) => level(instrument, key, v))));
  const strengths = Array.from({ length: 127 - 8 }, (_, i) => 8 + i);
  const betweenLayers = keys
    .filter((key) => key % 5 === 0)
    .map((key) => largestStep(strengths.map((v) => level(instrument, key, v) - DB_PER_DECADE * Math.log10(v))));
  for (const key of keys) for (let v = 1; v < 128; v += 1) instrument.play(0, { type: 'noteOn', key, velocity: v });
  instrument.panic();

  const sounds = file.sounds(Array.from({ length: file.count }, (_, i) => i));
  const onsets = sounds.flatMap(({ sample, sound }, i) => {
    const other = sounds[i + 1]?.sound;
    const pair: Sides | null = sample % 2 === 0 && other ? [sound, other] : null;
    return pair ? [(onsetOf(pair, RATE) / RATE) * 1000] : [];
  });
  return [
    atMost('grand', 'level step between neighbouring keys, worst of 7 strengths', Math.max(...betweenKeys), 'dB', 1),
    atMost('grand', 'level step from one velocity to the next, beyond its curve', Math.max(...betweenLayers), 'dB', 1),
    atMost('grand', 'onset in a sample, latest of all', Math.max(...onsets), 'ms', 1),
    atMost('grand', 'sound held once every key was struck at every strength', instrument.bankBytes / 1e6, 'MB', 300),
    atMost('grand', 'until its first note, against the small grand’s', first / small, 'times', 1),
  ];
}
