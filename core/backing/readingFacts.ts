import type { Seconds } from '../time/units';
import type { Grid } from './grid';
import type { Spectrum } from './spectrum';

/** Steps of the grid to one of its pulses: whole for halves, thirds, quarters and sixths. */
export const STEPS = 12;
/** Places within a beat where strokes are asked for, in beats. */
const PLACES = [0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4];
/** Strokes low, all and high; what is struck before a pause; harmony near and wide. */
const STROKES = 4;
const BANDS = STROKES + 2;
/** No stroke counts for more than this. */
const MOST = 5;

/** Strokes of a recording at any step: of each band the most within reach, against what is usual. */
function bandsOf(spectrum: Spectrum, reach: Seconds): Float32Array[] {
  const { low, high, strength, rate } = spectrum;
  const wide = Math.max(1, Math.round(reach * rate));
  return [
    ...[low, strength, high, leading(strength, rate)].map((x) => scaled(widest(x, wide))),
    ...[0.2, 0.7].map((around) => scaled(changes(spectrum, around))),
  ];
}

/** The most of an envelope within some frames either side. */
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

/** Strokes by the pause that follows them: what rings on was meant. */
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

/** Difference of the harmony after a moment from that before it, at the envelopes' rate. */
function changes({ chord, chordRate, keys, strength, rate, start }: Spectrum, around: Seconds): Float32Array {
  const moments = Math.floor(chord.length / Math.max(1, keys));
  const sums = new Float64Array((moments + 1) * keys);
  for (let m = 0; m < moments; m += 1)
    for (let k = 0; k < keys; k += 1) sums[(m + 1) * keys + k] = sums[m * keys + k]! + chord[m * keys + k]!;
  const wide = Math.max(1, Math.round(around * chordRate));
  const novelty = Float32Array.from({ length: moments + 1 }, (_, m) => {
    const [a, b] = [Math.max(0, m - wide), Math.min(moments, m + wide)];
    let [dot, na, nb] = [0, 0, 0];
    for (let k = 0; k < keys; k += 1) {
      const before = (sums[m * keys + k]! - sums[a * keys + k]!) / Math.max(1, m - a);
      const after = (sums[b * keys + k]! - sums[m * keys + k]!) / Math.max(1, b - m);
      dot += before * after;
      na += before * before;
      nb += after * after;
    }
    return na > 0 && nb > 0 ? 1 - dot / Math.sqrt(na * nb) : 0;
  });
  return Float32Array.from({ length: strength.length }, (_, i) => {
    const at = Math.max(0, Math.min(moments - 1, (start + i / rate) * chordRate + 0.5));
    const low = Math.floor(at);
    return novelty[low]! * (1 - (at - low)) + novelty[Math.min(moments, low + 1)]! * (at - low);
  });
}

/** Likeness of a row of steps to itself some steps later, against the most that it has at any of up to so many. */
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

/** The first and the last stroke. */
function extent({ strength, rate, start }: Spectrum): [Seconds, Seconds] {
  const tops = [...strength.keys()].filter(
    (i) => strength[i]! > 1.2 && strength[i]! >= (strength[i - 1] ?? 0) && strength[i]! >= (strength[i + 1] ?? 0),
  );
  return [start + (tops[0] ?? 0) / rate, start + (tops.at(-1) ?? 0) / rate];
}

/** Facts about beats of one length, in numbers that weights turn into a score. */
export interface BeatFacts {
  readonly facts: Float32Array;
  /** Each beat's own strokes and harmony: rows for the bar's facts. */
  readonly rows: Float32Array;
  readonly mean: Float32Array;
  readonly count: number;
  readonly length: number;
  readonly from: number;
}

const ROW = PLACES.length * BANDS;
/** Bars longer than this have facts of their first beat alone. */
const WHOLE_BARS = 4;
/** Longest likeness that is asked for: four bars of seven slow beats. */
const LAGS = 4 * 7 * 4 * STEPS;

/** Facts of a recording by which its readings are told apart. */
export interface FactReader {
  /** Length of one pulse of the grid. */
  readonly pulse: Seconds;
  readonly steps: number;
  readonly timeAt: (step: number) => Seconds;
  /** @param length of a beat, in steps; @param from the first beat's step */
  readonly beats: (length: number, from: number) => BeatFacts;
  /** @param first the first beat that starts a bar */
  readonly bars: (of: BeatFacts, pulses: number, first: number) => Float32Array;
}

/** Reads facts about beats and bars on a recording's grid, of at least two pulses. */
export function factReader(spectrum: Spectrum, { times }: Grid): FactReader {
  const { rate, start } = spectrum;
  const pulse = (times.at(-1)! - times[0]!) / (times.length - 1);
  const bands = bandsOf(spectrum, Math.min(0.03, pulse / STEPS / 2 + 0.01));
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
    // Harmony moves on beats more than between them, whatever the level.
    const harmony = [0, 3].flatMap((p) => [mean[p * BANDS + STROKES]!, mean[p * BANDS + STROKES + 1]!]);
    // A beat and the next may differ: what alternates has the level right.
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
    return { facts, rows, mean, count, length, from };
  }

  function bars({ rows, mean, count, length, from }: BeatFacts, pulses: number, first: number): Float32Array {
    const folded = new Float64Array(pulses * ROW);
    const many = new Float64Array(pulses);
    const inBar = (beat: number): number => (((beat - first) % pulses) + pulses) % pulses;
    for (let i = 0; i < count; i += 1) {
      const beat = inBar(i);
      many[beat]! += 1;
      for (let j = 0; j < ROW; j += 1) folded[beat * ROW + j]! += rows[i * ROW + j]!;
    }
    const over = (beat: number, j: number): number => folded[beat * ROW + j]! / Math.max(1, many[beat]!) - mean[j]!;
    const facts: number[] = [1];
    for (let beat = 0; beat < (pulses > WHOLE_BARS ? 1 : pulses); beat += 1)
      for (const p of [0, 3]) for (let band = 0; band < STROKES; band += 1) facts.push(over(beat, p * BANDS + band));
    for (const band of [STROKES, STROKES + 1])
      for (let beat = 0; beat < pulses; beat += 1) facts.push(over(beat, band));
    for (const of of likeness)
      for (const rounds of [1, 2, 4]) facts.push(of[Math.round(length * pulses * rounds)] ?? 0);
    const bar = Math.log2((pulse * length * pulses) / STEPS / 2);
    facts.push(bar, bar ** 2);
    for (const step of [begins, ends]) {
      const on = inBar(Math.round((step - from) / length));
      for (let beat = 0; beat < pulses; beat += 1) facts.push(beat === on ? 1 : 0);
    }
    return Float32Array.from(facts);
  }
  return { pulse, steps, timeAt, beats, bars };
}
