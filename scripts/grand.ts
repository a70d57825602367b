/**
 * Makes the grand's bank out of the recordings that its packages hold, unless it lies there already: seven strengths of
 * every third key, each from its onset, of one loudness, in a few seconds that end in a loop where the note rings for
 * longer. Its layers were chosen so that each sounds as different from the next: of the sixteen that were recorded, the
 * soft ones differ by more.
 *
 * Usage: npx tsx scripts/grand.ts
 */
import { fork } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import {
  BasicInstrument,
  type BasicInstrumentZone,
  BasicPreset,
  BasicSample,
  BasicSoundBank,
  GeneratorTypes,
  Modulator,
  SampleTypes,
  SpessaLog,
} from 'spessasynth_core';
import { smoothed } from '../core/sampling/struckNote';
import { DB_PER_DECADE, velocityRanges } from '../core/sampling/velocityRanges';
import type { MadeNote } from './grandNotes';

const ROOT = fileURLToPath(new URL('..', import.meta.url));
const GRAND = join(ROOT, 'node_modules/.cache/grand/grand.sf3');

const LAYERS = [1, 2, 4, 7, 10, 13, 16];
const LOWEST = 21;
const HIGHEST = 108;

/** Number of keys over which the loudness of recorded ones is smoothed. */
const EVENED_OVER = 7;

/** Source of the modulator that softens low velocities: velocity, concave, decreasing. */
const FROM_VELOCITY = 0x0502;
/** Share of a zone's attenuation that players apply, as the first ones did. */
const HEARD_OF_ATTENUATION = 0.4;
/** Level in decibels at which a player ends a note. */
const SILENT = 100;

/** Highest key with a damper. */
const HIGHEST_DAMPED = 88;
/** Seconds in which a damper silences the lowest and the highest string that has one, by 100 dB. */
const DAMPED = { lowest: 1.4, highest: 0.5 };
/** Seconds for strings without a damper. */
const UNDAMPED = 9;

interface Note extends MadeNote {
  /** Left and right side. */
  readonly samples: readonly BasicSample[];
}

/** Makes the notes of one strength, in a process of its own. */
const makeNotes = (layer: number): Promise<MadeNote[]> =>
  new Promise((done, failed) => {
    const path = join(ROOT, 'scripts/grandNotes.ts');
    const own = fork(path, [String(layer)], { execArgv: ['--import', 'tsx'], serialization: 'advanced' });
    own.on('message', (notes) => done(notes as MadeNote[])).on('error', failed);
    own.on('exit', () => failed(new Error('A process that makes the grand has ended.')));
  });

/** Makes all strengths, as many at once as there are processors. @returns their notes, the soft ones first */
async function makeAllNotes(told: (share: number) => void): Promise<Note[]> {
  const made: MadeNote[][] = [];
  const left = [...LAYERS.entries()];
  const next = async (): Promise<void> => {
    const one = left.shift();
    if (!one) return;
    made[one[0]] = await makeNotes(one[1]);
    told(made.flat().length / (LAYERS.length * made[one[0]]!.length));
    await next();
  };
  await Promise.all(Array.from({ length: Math.min(LAYERS.length, availableParallelism()) }, next));
  return made.flat().map((note) => ({ ...note, samples: samplesOf(note) }));
}

function samplesOf({ name, rate, key, loop, sides }: MadeNote): BasicSample[] {
  const samples = sides.map((bytes, i) => {
    const own = `${name} ${'LR'[i]}`;
    const sample = new BasicSample(own, rate, key, 0, SampleTypes.monoSample, loop.from, loop.to);
    sample.setCompressedData(bytes);
    return sample;
  });
  samples[0]!.setLinkedSample(samples[1]!, SampleTypes.leftSample);
  return samples;
}

const timecents = (seconds: number): number => Math.round(1200 * Math.log2(seconds));
const mean = (all: readonly number[]): number => all.reduce((sum, x) => sum + x, 0) / all.length;

function setEnvelope(zone: BasicInstrumentZone, key: number, { decay, key: recordedAt }: Note): void {
  if (decay > 0) {
    // Notes that play faster than recorded decay faster.
    zone.setGenerator(GeneratorTypes.decayVolEnv, timecents(SILENT / decay / 2 ** ((key - recordedAt) / 12)));
    zone.setGenerator(GeneratorTypes.sustainVolEnv, SILENT * 10);
    zone.setGenerator(GeneratorTypes.sampleModes, 1);
  }
  const share = (key - LOWEST) / (HIGHEST_DAMPED - LOWEST);
  const damped = DAMPED.lowest * (DAMPED.highest / DAMPED.lowest) ** share;
  zone.setGenerator(GeneratorTypes.releaseVolEnv, timecents(key > HIGHEST_DAMPED ? UNDAMPED : damped));
}

/** Zones of all keys and layers, with smoothed loudness and their velocities. */
function setZones(instrument: BasicInstrument, notes: readonly Note[]): void {
  const ofLayer = (layer: number) => notes.filter((n) => n.layer === layer);
  const levels = LAYERS.map((layer) => mean(ofLayer(layer).map((n) => n.recorded)));
  const ranges = velocityRanges(levels);
  const keys = ofLayer(LAYERS[0]!).map((n) => n.key);
  const offsets = keys.map((key) =>
    mean(LAYERS.map((l, i) => ofLayer(l).find((n) => n.key === key)!.recorded - levels[i]!)),
  );
  const wanted = Array.from({ length: HIGHEST - LOWEST + 1 }, (_, i) =>
    smoothed(keys, offsets, EVENED_OVER, LOWEST + i),
  );
  const nearest = (key: number) => keys[Math.round((key - LOWEST) / 3)]!;
  const least = Math.min(...notes.map((n) => n.stored - wanted[n.key - LOWEST]!));
  for (const [i, layer] of LAYERS.entries()) {
    for (let key = LOWEST; key <= HIGHEST; key += 1) {
      const note = ofLayer(layer).find((n) => n.key === nearest(key))!;
      for (const [side, sample] of note.samples.entries()) {
        const zone = instrument.createZone(sample);
        zone.keyRange = { min: key === LOWEST ? 0 : key, max: key === HIGHEST ? 127 : key };
        zone.velRange = { ...ranges[i]! };
        zone.setGenerator(GeneratorTypes.pan, side === 0 ? -500 : 500);
        const over = note.stored - wanted[key - LOWEST]! - least;
        zone.setGenerator(
          GeneratorTypes.initialAttenuation,
          Math.max(0, Math.round((over * 10) / HEARD_OF_ATTENUATION)),
        );
        setEnvelope(zone, key, note);
      }
    }
  }
}

/** Makes the bank, and prints its progress. */
async function makeGrand(told: (share: number) => void): Promise<Uint8Array> {
  SpessaLog.setLogLevel(false, false, false);
  const bank = new BasicSoundBank('sf2');
  Object.assign(bank.soundBankInfo, { name: 'Full grand', version: { major: 3, minor: 0 } });
  const instrument = new BasicInstrument();
  instrument.name = 'Full grand';
  const velocity = Modulator.copyFrom(bank.defaultModulators[0]!);
  if (velocity.primarySource.toSourceEnum() !== FROM_VELOCITY)
    throw new Error('The format’s first modulator is not the velocity’s any more.');
  velocity.transformAmount = (960 * DB_PER_DECADE) / 40;
  instrument.globalZone.addModulators(velocity);
  const notes = await makeAllNotes(told);
  setZones(instrument, notes);
  bank.addSamples(...notes.flatMap((n) => n.samples));
  bank.addInstruments(instrument);
  const preset = new BasicPreset(bank);
  preset.name = 'Full grand';
  preset.createZone(instrument);
  bank.addPresets(preset);
  return new Uint8Array(bank.writeSF2());
}

/** Fingerprint of a bank's making: a bank made otherwise is made again. */
function making(): string {
  const hash = createHash('sha256');
  for (const name of ['grand.ts', 'grandNotes.ts']) hash.update(readFileSync(join(ROOT, 'scripts', name)));
  const folder = join(ROOT, 'core/sampling');
  for (const name of readdirSync(folder).sort())
    if (!name.endsWith('.test.ts')) hash.update(readFileSync(join(folder, name)));
  return hash.digest('hex');
}

const marker = `${GRAND}.making`;
if (!existsSync(GRAND) || !existsSync(marker) || readFileSync(marker, 'utf8') !== making()) {
  console.log('Making the grand’s bank out of its recordings. That takes a minute or two, and is done once.');
  mkdirSync(dirname(GRAND), { recursive: true });
  const bytes = await makeGrand((share) => console.log(`  ${Math.round(share * 100)} %`));
  writeFileSync(`${GRAND}.new`, bytes);
  renameSync(`${GRAND}.new`, GRAND);
  writeFileSync(marker, making());
}
