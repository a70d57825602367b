import type { Seconds } from '../time/units';
import type { Grid } from './grid';
import { Harmony } from './harmony';
import type { Spectrum } from './spectrum';

/** Steps of the grid in one pulse, divisible into halves, thirds, quarters and sixths. */
export const STEPS = 12;
/** Places within a beat at which strokes are read, in beats. */
const PLACES = [0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4];
/** Rows of facts: strokes low, all and high; strokes before a pause; harmony near and wide. */
const STROKES = 4;
const BANDS = STROKES + 2;
/** Ceiling of a stroke's strength. */
const MOST = 5;

/** Strokes at any step: the strongest of each band within reach, against the usual. */
function bandsOf(spectrum: Spectrum, harmony: Harmony, reach: Seconds): Float32Array[] {
  const { low, high, strength, rate } = spectrum;
  const wide = Math.max(1, Math.round(reach * rate));
  return [
    ...[low, strength, high, leading(strength, rate)].map((x) => scaled(widest(x, wide))),
    ...[0.2, 0.7].map((around) => scaled(changes(spectrum, harmony, around))),
  ];
}

/** Maximum of an envelope within some frames on either side. */
function widest(x: Float32Array, wide: number): Float32Array {
  const out = new Float32Array(x.length);
  for (let i = 0; i < x.length; i += 1) {
    let most = 0;
    for (let j = Math.max(0, i - wide); j <= Math.min(x.length - 1, i + wide); j += 1) most = Math.max(most, x[j]!);
    out[i] = Math.min(MOST, most);
  }
  return out;
}
function scaled(x: Float32Array): Float32Array {
  const mean = x.reduce((a, b) => a + b, 0) / Math.max(1, x.length) || 1;
  return x.map((v) => v / mean);
}

/** Strokes weighted by the pause after them, as long notes tend to lie on beats. */
function leading(strength: Float32Array, rate: number): Float32Array {
  const out = new Float32Array(strength.length);
  let next = strength.length;
  const longest = rate;
  for (let i = strength.length - 2; i > 0; i -= 1) {
    const own = strength[i]!;
    if (own < 1 || own < strength[i - 1]! || own < strength[i + 1]!) continue;
    out[i] = Math.min(MOST, own) * Math.min(1, (next - i) / longest);
    next = i;
  }
  return out;
}

/** Difference between the harmony after and before each moment, at the envelopes' rate. */
function changes({ chordRate, strength, rate, start }: Spectrum, harmony: Harmony, around: Seconds): Float32Array {
  const { moments } = harmony;
  const wide = Math.max(1, Math.round(around * chordRate));
  const sums = harmony.upTo(Array.from({ length: moments + 1 }, (_, m) => m));
  const novelty = Float32Array.from(
    { length: moments + 1 },
    (_, m) => 1 - harmony.likeness(sums, [Math.max(0, m - wide), m, m, Math.min(moments, m + wide)]),
  );
  return Float32Array.from({ length: strength.length }, (_, i) => {
    const at = Math.max(0, Math.min(moments - 1, (start + i / rate) * chordRate + 0.5));
    const low = Math.floor(at);
    return novelty[low]! * (1 - (at - low)) + novelty[Math.min(moments, low + 1)]! * (at - low);
  });
}

/** Autocorrelation of a row of steps at some lag, against the largest up to a limit. */
function likenessOf(x: Float32Array, lags: number): Float32Array {
  const mean = x.reduce((a, b) => a + b, 0) / Math.max(1, x.length);
  const out = new Float32Array(lags + 1);
  for (let lag = 0; lag <= lags && lag < x.length * 0.7; lag += 1) {
    let sum = 0;
    for (let i = 0; i + lag < x.length; i += 1) sum += (x[i]! - mean) * (x[i + lag]! - mean);
    out[lag] = sum / (x.length - lag);
  }
  const most = Math.max(1e-9, ...out.subarray(24));
  return out.map((v) => v / most);
}

/** First and last stroke. */
function extent({ strength, rate, start }: Spectrum): [Seconds, Seconds] {
  const tops = [...strength.keys()].filter(
    (i) => strength[i]! > 1.2 && strength[i]! >= (strength[i - 1] ?? 0) && strength[i]! >= (strength[i + 1] ?? 0),
  );
  return [start + (tops[0] ?? 0) / rate, start + (tops.at(-1) ?? 0) / rate];
}

/** Beats folded onto one bar: the mean of each beat of a bar. */
interface Folded {
  /** Strokes and harmony alone, against the mean of all beats; `ROW` to a beat. */
  readonly over: Float64Array;
  /** Facts about harmony, `HARMONY` to a beat. */
  readonly harmony: Float64Array;
}

/** Facts about beats of one length, as input of a score. */
export interface BeatFacts {
  readonly facts: Float32Array;
  readonly mean: Float32Array;
  /** Facts about bars of some number of beats, the first bar beginning with the first beat. */
  readonly folded: (pulses: number) => Folded;
  readonly count: number;
  readonly length: number;
  readonly from: number;
}

/**
 * Change of the harmony from the beat before, from two beats before, from a bar before, of the bass from the beat
 * before; and the similarity of a beat's own start to the bar that it would begin.
 */
const HARMONY = 5;
/** Most beats in a bar. */
const MOST_BEATS = 7;
/** Keys of the bass, from the lowest that is measured. */
const LOW_KEYS = 17;

const ROW = PLACES.length * BANDS;
/** Bars above this length have facts of their first beat only. */
const WHOLE_BARS = 4;
/** Longest lag of similarity: four bars of seven slow beats. */
const LAGS = 4 * 7 * 4 * STEPS;

/** Means of rows with a period of some rows. */
function fold(rows: Float32Array, size: number, pulses: number): Float64Array {
  const out = new Float64Array(pulses * size);
  for (let from = 0, to = 0; from < rows.length; from += size, to = (to + size) % out.length)
    for (let j = 0; j < size; j += 1) out[to + j]! += rows[from + j]!;
  const count = rows.length / size;
  return out.map((v, i) => v / Math.max(1, Math.ceil((count - Math.floor(i / size)) / pulses)));
}

/** Beats of one length on a grid, in steps. */
interface Placed {
  readonly length: number;
  readonly from: number;
  readonly count: number;
}

/** Scales each column of the harmony's facts to mean 0 and standard deviation 1, in place. */
function onOneScale(rows: Float32Array): Float32Array {
  const count = Math.max(1, rows.length / HARMONY);
  for (let j = 0; j < HARMONY; j += 1) {
    let [sum, squares] = [0, 0];
    for (let i = j; i < rows.length; i += HARMONY) [sum, squares] = [sum + rows[i]!, squares + rows[i]! ** 2];
    const mean = sum / count;
    const spread = Math.sqrt(Math.max(0, squares / count - mean ** 2)) + 0.01;
    for (let i = j; i < rows.length; i += HARMONY) rows[i] = (rows[i]! - mean) / spread;
  }
  return rows;
}

/** Facts of a recording by which its readings are scored. */
export interface FactReader {
  /** Length of one pulse of the grid. */
  readonly pulse: Seconds;
  readonly steps: number;
  readonly timeAt: (step: number) => Seconds;
  /** @param length of a beat, in steps @param from step of the first beat */
  readonly beats: (length: number, from: number) => BeatFacts;
  /** @param first index of the first beat that begins a bar */
  readonly bars: (of: BeatFacts, pulses: number, first: number) => Float32Array;
}

/** Makes the facts of beats and bars on a recording's grid of at least two pulses. */
export function factReader(spectrum: Spectrum, { times }: Grid): FactReader {
  const { rate, start } = spectrum;
  const pulse = (times.at(-1)! - times[0]!) / (times.length - 1);
  const harmony = new Harmony(spectrum);
  const bands = bandsOf(spectrum, harmony, Math.min(0.03, pulse / STEPS / 2 + 0.01));
  const steps = (times.length - 1) * STEPS;
  const timeAt = (step: number): Seconds => {
    const low = Math.max(0, Math.min(times.length - 2, Math.floor(step / STEPS)));
    return times[low]! + (times[low + 1]! - times[low]!) * (step / STEPS - low);
  };
  const heardAt = (band: number, step: number): number => bands[band]![Math.round((timeAt(step) - start) * rate)] ?? 0;
  const likeness = [0, 1, BANDS - 1].map((band) =>
    likenessOf(
      Float32Array.from({ length: steps }, (_, step) => heardAt(band, step)),
      LAGS,
    ),
  );
  const [begins, ends] = extent(spectrum).map((time) => {
    const low = Math.max(
      0,
      Math.min(
        times.length - 2,
        times.findLastIndex((t) => t <= time),
      ),
    );
    return STEPS * (low + (time - times[low]!) / (times[low + 1]! - times[low]!));
  }) as [number, number];

  function beats(length: number, from: number): BeatFacts {
    const count = Math.max(0, Math.floor((steps - from) / length));
    const rows = new Float32Array(count * ROW);
    for (let i = 0; i < count; i += 1)
      PLACES.forEach((place, p) => {
        const step = from + (i + place) * length;
        for (let band = 0; band < BANDS; band += 1) rows[i * ROW + p * BANDS + band] = heardAt(band, step);
      });
    const mean = new Float32Array(ROW);
    for (let i = 0; i < count; i += 1) for (let j = 0; j < ROW; j += 1) mean[j]! += rows[i * ROW + j]! / count;
    const strokes = PLACES.flatMap((_, p) => [...mean.subarray(p * BANDS, p * BANDS + STROKES)]);
    const tempo = Math.log2(((pulse * length) / STEPS) * 2);
    // Harmony changes on beats more than between them.
    const harmony = [0, 3].flatMap((p) => [mean[p * BANDS + STROKES]!, mean[p * BANDS + STROKES + 1]!]);
    // Alternating beats are evidence for the level below.
    const alternating = [0, 2].map((band) => {
      let sum = 0;
      for (let i = 0; i + 1 < count; i += 2) sum += rows[i * ROW + band]! - rows[(i + 1) * ROW + band]!;
      return (2 * Math.abs(sum)) / Math.max(1, count);
    });
    // Music begins and ends on beats more than between them.
    const offBeat = [begins, ends].map((step) => {
      const off = ((((step - from) % length) + length) % length) / length;
      return Math.min(off, 1 - off);
    });
    const like = likeness.flatMap((of) => [1, 2].map((many) => of[Math.round(length * many)] ?? 0));
    const facts = Float32Array.of(...strokes, tempo, tempo ** 2, ...harmony, ...alternating, ...offBeat, ...like);
    return { facts, mean, folded: foldedOf(rows, mean, { length, from, count }), count, length, from };
  }

  function foldedOf(rows: Float32Array, mean: Float32Array, of: Placed): BeatFacts['folded'] {
    const harmonyOf = harmonyAt(of);
    const known = new Map<number, Folded>();
    return (pulses) => {
      const own = known.get(pulses) ?? {
        over: fold(rows, ROW, pulses).map((v, i) => v - mean[i % ROW]!),
        harmony: fold(harmonyOf(pulses), HARMONY, pulses),
      };
      known.set(pulses, own);
      return own;
    };
  }

  /** Facts about the harmony at each beat for bars of some number of beats, scaled. */
  function harmonyAt({ length, from, count }: Placed): (pulses: number) => Float32Array {
    let sums: Float64Array | undefined;
    // Two rows a beat, over as many beats as the longest bar has.
    const row = (beat: number): number => 2 * (beat + MOST_BEATS);
    const momentAt = (beat: number): number => timeAt(from + beat * length) * spectrum.chordRate + 0.5;
    return (pulses) => {
      sums ??= harmony.upTo(
        Array.from({ length: row(count + MOST_BEATS) + 1 }, (_, i) => momentAt(i / 2 - MOST_BEATS)),
      );
      const rows = new Float32Array(count * HARMONY);
      const change = (i: number, many: number, keys?: number): number =>
        1 - harmony.likeness(sums!, [row(i - many), row(i), row(i), row(i + many)], keys);
      for (let i = 0; i < count; i += 1) {
        rows[i * HARMONY] = change(i, 1);
        rows[i * HARMONY + 1] = change(i, 2);
        rows[i * HARMONY + 2] = change(i, pulses);
        rows[i * HARMONY + 3] = change(i, 1, LOW_KEYS);
        rows[i * HARMONY + 4] = harmony.likeness(sums, [row(i), row(i) + 1, row(i), row(i + pulses)]);
      }
      return onOneScale(rows);
    };
  }

  function bars({ mean, folded, length, from }: BeatFacts, pulses: number, first: number): Float32Array {
    const { over, harmony: harmonies } = folded(pulses);
    /** Beat at a position in a bar, counted from the first beat. */
    const of = (beat: number): number => (beat + first) % pulses;
    const facts: number[] = [1];
    for (let beat = 0; beat < (pulses > WHOLE_BARS ? 1 : pulses); beat += 1)
      for (const p of [0, 3])
        for (let band = 0; band < STROKES; band += 1) facts.push(over[of(beat) * ROW + p * BANDS + band]!);
    for (const band of [STROKES, STROKES + 1])
      for (let beat = 0; beat < pulses; beat += 1) facts.push(over[of(beat) * ROW + band]!);
    for (let beat = 0; beat < pulses; beat += 1)
      for (let j = 0; j < HARMONY; j += 1) facts.push(harmonies[of(beat) * HARMONY + j]!);
    for (const row of likeness)
      for (const rounds of [1, 2, 4]) facts.push(row[Math.round(length * pulses * rounds)] ?? 0);
    const bar = Math.log2((pulse * length * pulses) / STEPS / 2);
    const slow = Math.log2(((pulse * length) / STEPS) * 2);
    facts.push(bar, bar ** 2, slow, slow ** 2);
    // Ternary beats are also counted in slower twos and fours.
    for (let p = 1; p < PLACES.length; p += 1) facts.push(mean[p * BANDS + 1]!);
    for (const step of [begins, ends]) {
      const on = (((Math.round((step - from) / length) - first) % pulses) + pulses) % pulses;
      for (let beat = 0; beat < pulses; beat += 1) facts.push(beat === on ? 1 : 0);
    }
    return Float32Array.from(facts);
  }
  return { pulse, steps, timeAt, beats, bars };
}
