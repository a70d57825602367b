import type { Seconds } from '../time/units';
import type { FoundBeat } from './beats';
import type { Spectrum } from './spectrum';

/** A meter as read from a recording. */
export interface FoundMeter {
  /** Pulses a bar as tracked. */
  readonly pulses: number;
  readonly beats: number;
  readonly unit: number;
}

export interface FoundBars {
  readonly meter: FoundMeter;
  /** Index of the beat (from 0) that is the first of a bar. */
  readonly first: number;
  /** Lead of this reading over the next, 0 to 1. */
  readonly sure: number;
}

interface BeatFeature {
  readonly low: number;
  readonly high: number;
  readonly all: number;
  readonly change: number;
}

const most = (x: Float32Array, from: number, to: number): number => {
  let top = 0;
  for (let i = Math.max(0, from); i <= Math.min(x.length - 1, to); i += 1) top = Math.max(top, x[i]!);
  return top;
};

/** Chord between two times: the mean loudness of each key. */
function chordBetween({ chord, chordRate, keys }: Spectrum, from: Seconds, to: Seconds): Float32Array {
  const out = new Float32Array(keys);
  const first = Math.max(0, Math.ceil(from * chordRate));
  const last = Math.min(Math.floor(chord.length / keys) - 1, Math.floor(to * chordRate));
  let count = 0;
  for (let m = first; m <= last; m += 1) {
    count += 1;
    for (let k = 0; k < keys; k += 1) out[k]! += chord[m * keys + k]!;
  }
  if (count) for (let k = 0; k < keys; k += 1) out[k]! /= count;
  return out;
}

function distance(a: Float32Array, b: Float32Array): number {
  let dot = 0;
  let na = 0;
  let nb = 0;
  for (let k = 0; k < a.length; k += 1) {
    dot += a[k]! * b[k]!;
    na += a[k]! ** 2;
    nb += b[k]! ** 2;
  }
  return na > 0 && nb > 0 ? 1 - dot / Math.sqrt(na * nb) : 0;
}

function normal(values: number[]): number[] {
  const mean = values.reduce((a, b) => a + b, 0) / Math.max(1, values.length);
  const spread = Math.sqrt(values.reduce((a, b) => a + (b - mean) ** 2, 0) / Math.max(1, values.length)) || 1;
  return values.map((v) => (v - mean) / spread);
}

function featuresOf(spectrum: Spectrum, beats: readonly FoundBeat[]): BeatFeature[] {
  const { rate, start } = spectrum;
  const near = Math.round(0.05 * rate);
  const frame = (at: Seconds) => Math.round((at - start) * rate);
  const of = (x: Float32Array) =>
    normal(beats.map(({ at }) => Math.min(6, most(x, frame(at) - near, frame(at) + near))));
  const [low, high, all] = [of(spectrum.low), of(spectrum.high), of(spectrum.strength)];
  const step = (i: number) => (beats[i + 1] && beats[i] ? beats[i + 1]!.at - beats[i]!.at : 0.5);
  // The middle of each beat, clear of the windows that reach into its neighbours.
  const chords = beats.map(({ at }, i) => chordBetween(spectrum, at + 0.2 * step(i), at + 0.95 * step(i)));
  const change = normal(chords.map((c, i) => (i === 0 ? 0 : distance(c, chords[i - 1]!))));
  return beats.map((_, i) => ({ low: low![i]!, high: high![i]!, all: all![i]!, change: change[i]! }));
}

/**
 * Weight of a beat as a bar's first: the harmony changes there, the bass and the kick come in; the back-beat speaks
 * against.
 */
const weightOf = ({ low, high, all, change }: BeatFeature): number => change + 0.6 * low + 0.25 * all - 0.25 * high;

/** Strength with which pulses fall into three: onsets at one and two thirds against the half, mean over the beats. */
function threes(
  { strength, rate, start }: Spectrum,
  beats: readonly FoundBeat[],
): { third: number; half: number; twoThirds: number } {
  const near = Math.round(0.03 * rate);
  const sums = { third: 0, half: 0, twoThirds: 0 };
  const at = (time: Seconds) =>
    Math.min(3, most(strength, Math.round((time - start) * rate) - near, Math.round((time - start) * rate) + near));
  for (let i = 0; i + 1 < beats.length; i += 1) {
    const [a, b] = [beats[i]!.at, beats[i + 1]!.at];
    sums.third += at(a + (b - a) / 3);
    sums.half += at(a + (b - a) / 2);
    sums.twoThirds += at(a + (2 * (b - a)) / 3);
  }
  const count = Math.max(1, beats.length - 1);
  return { third: sums.third / count, half: sums.half / count, twoThirds: sums.twoThirds / count };
}

const TWELVE = 12;
/** Bars of 12/8 are rarer than two of 6/8: they have to be this much plainer. */
const LONG_BARS = 1.3;

/**
 * The meter and the bar's first beat: for each length of bar and each phase, how much more there is on its firsts than
 * on its other beats. A pulse that falls into three throughout is read as 6/8.
 * @param forced the meter, when the player has said it: only the phase is found
 */
export function barsOf(spectrum: Spectrum, beats: readonly FoundBeat[], forced?: FoundMeter): FoundBars {
  const four: FoundMeter = { pulses: 4, beats: 4, unit: 4 };
  if (beats.length < 8) return { meter: forced ?? four, first: 0, sure: 0 };
  const weights = normal(featuresOf(spectrum, beats).map(weightOf));
  const parts = threes(spectrum, beats);
  const compound =
    parts.third > 1.25 * parts.half &&
    parts.twoThirds > 1.25 * parts.half &&
    parts.third > 0.3 &&
    parts.third > 0.6 * parts.twoThirds;
  const compounds: FoundMeter[] = [
    { pulses: 2, beats: 6, unit: 8 },
    { pulses: 4, beats: TWELVE, unit: 8 },
  ];
  const simple: FoundMeter[] = [four, { pulses: 3, beats: 3, unit: 4 }];
  const likely = compound ? compounds : simple;
  const meters = forced ? [forced] : likely;
  const readings = meters.flatMap((meter) =>
    Array.from({ length: meter.pulses }, (_, first) => {
      const { pulses } = meter;
      let on = 0;
      let off = 0;
      let firsts = 0;
      weights.forEach((w, i) => {
        if (i === 0) return;
        if ((((i - first) % pulses) + pulses) % pulses === 0) {
          on += w;
          firsts += 1;
        } else off += w;
      });
      const others = Math.max(1, weights.length - 1 - firsts);
      // More firsts are better known: their mean strays less by chance.
      const score = (on / Math.max(1, firsts) - off / others) * Math.sqrt((firsts * others) / (firsts + others));
      return { meter, first, score: score / (meter.beats === TWELVE ? LONG_BARS : 1) };
    }),
  );
  readings.sort((a, b) => b.score - a.score);
  const [best, next] = readings as [(typeof readings)[number], (typeof readings)[number] | undefined];
  const lead = next ? (best.score - next.score) / Math.max(1, Math.abs(best.score)) : 1;
  return { meter: best.meter, first: best.first, sure: Math.max(0, Math.min(1, lead * 2)) };
}
