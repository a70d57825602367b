import { seeded } from '../core/random';
import { barStart, meterMap } from '../core/time/meter';
import { secondsAt, tempoMap, type TempoChange } from '../core/time/tempo';
import type { Seconds, Ticks } from '../core/time/units';
import type { ChannelSetting, Scheduled } from '../engine/instrument/schedule';
import { barPlan, type Form } from './songs';
import { bassOf, voicing } from './writtenParts';

const DRUMS = 9;
const BASS = 0;
const GUITAR = 1;

/** Band: drums, fingered bass, clean guitar. */
export const BAND: readonly (readonly [number, ChannelSetting])[] = [
  [DRUMS, { program: 0, gain: 0.9, shape: [], drums: true }],
  [BASS, { program: 33, gain: 1.1, shape: [] }],
  [GUITAR, { program: 27, gain: 0.5, shape: [] }],
];

const KICK = 36;
const STICK = 37;
const SNARE = 38;
const HAT = 42;
const CRASH = 49;

interface Hit {
  readonly tick: Ticks;
  readonly channel: number;
  readonly key: number;
  readonly velocity: number;
  readonly length: Ticks;
}

function fourFour(start: Ticks, busy: number, bass: number, chord: number[], first: boolean): Hit[] {
  const drum = (beats: number, key: number, velocity: number): Hit => ({
    tick: start + beats * 960,
    channel: DRUMS,
    key,
    velocity,
    length: 120,
  });
  const low = (beats: number, length: number, key = bass): Hit => ({
    tick: start + beats * 960,
    channel: BASS,
    key,
    velocity: 92,
    length: length * 960,
  });
  const hits = [
    drum(0, KICK, 104),
    drum(2, KICK, 96),
    low(0, 1.4),
    low(1.5, 0.4),
    low(2, 1.5),
    low(3.5, 0.4, bass + 7),
  ];
  const backbeat = busy > 0.3 ? SNARE : STICK;
  hits.push(drum(1, backbeat, 92), drum(3, backbeat, 98));
  for (let i = 0; i < 8; i += 1) hits.push(drum(i / 2, HAT, i % 2 ? 46 : 70));
  if (busy > 0.55) hits.push(drum(2.5, KICK, 84), drum(3.75, KICK, 60));
  if (busy > 0.7)
    for (const beat of [0.5, 1.5, 2.5, 3.5])
      for (const key of chord.slice(1))
        hits.push({ tick: start + beat * 960, channel: GUITAR, key, velocity: 62, length: 200 });
  if (first) hits.push(drum(0, CRASH, 80));
  return hits;
}

function sixEight(start: Ticks, busy: number, bass: number, chord: number[], first: boolean): Hit[] {
  const drum = (eighths: number, key: number, velocity: number): Hit => ({
    tick: start + eighths * 480,
    channel: DRUMS,
    key,
    velocity,
    length: 120,
  });
  const hits = [
    drum(0, KICK, 96),
    drum(3, busy > 0.3 ? SNARE : STICK, 82),
    { tick: start, channel: BASS, key: bass, velocity: 88, length: 1300 },
    { tick: start + 1440, channel: BASS, key: bass + 7, velocity: 80, length: 1200 },
  ];
  for (let i = 0; i < 6; i += 1) hits.push(drum(i, HAT, i % 3 ? 44 : 66));
  if (busy > 0.6)
    chord.forEach((key, i) =>
      hits.push({ tick: start + (i + 1) * 480, channel: GUITAR, key, velocity: 58, length: 900 }),
    );
  if (first) hits.push(drum(0, CRASH, 66));
  return hits;
}

/**
 * Backing as a schedule from 0 s, with a good band's looseness.
 * @param played tempo that the band keeps; the form's unless it was played without a click
 */
export function composeBacking(
  form: Form,
  seed: number,
  played: readonly TempoChange[] = form.tempo,
): { events: Scheduled[]; length: Seconds } {
  const random = seeded(seed);
  const tempo = tempoMap(played);
  const meter = meterMap([form.meter]);
  const bars = barPlan(form);
  const hits = bars.flatMap(({ chord, busy, first }, i) => {
    const bar = form.meter.unit === 8 ? sixEight : fourFour;
    return bar(barStart(meter, i + 1), busy, bassOf(chord, 28), voicing(chord, 55), first);
  });
  const events = hits.flatMap(({ tick, channel, key, velocity, length }): Scheduled[] => {
    const at = Math.max(0, secondsAt(tempo, tick) + random.normal(0.003));
    const loud = Math.max(1, Math.min(127, velocity + Math.round(random.normal(4))));
    return [
      { at, channel, message: { type: 'noteOn', key, velocity: loud } },
      {
        at: Math.max(at + 0.02, secondsAt(tempo, tick + length)),
        channel,
        message: { type: 'noteOff', key, velocity: 64 },
      },
    ];
  });
  return { events, length: secondsAt(tempo, barStart(meter, bars.length + 1)) + 1.5 };
}
