import weights from './readingWeights.json';
import { factReader, STEPS, type BeatFacts, type FactReader } from './readingFacts';
import type { Grid } from './grid';
import type { Spectrum } from './spectrum';
import type { Seconds } from '../time/units';

/** Lengths of a beat that are tried, in steps of the grid. */
export const LENGTHS = [3, 4, 6, 8, 9, 12, 16, 18, 24, 36, 48] as const;
/** Numbers of beats in a bar that are tried. */
export const BARS = [2, 3, 4, 5, 7] as const;
const SLOWEST: Seconds = 60 / 40;
const FASTEST: Seconds = 60 / 330;
/** Least number of beats that can be scored. */
const FEWEST = 8;
/** Number of starts of each length whose bars are tried, the likeliest first. */
const BARS_OF = 4;
const OFFERED = 5;
/** Number of the likeliest lengths that are offered with two starts, as half a beat is the commonest error. */
const TWO_STARTS = 2;

/** Reading of a recording: which steps of its grid are beats, and which beats begin bars. */
export interface Reading {
  /** Length of a beat and its first step. */
  readonly length: number;
  readonly from: number;
  /** Beats to a bar. */
  readonly pulses: number;
  /** Index of the first beat that begins a bar. */
  readonly first: number;
  /** Probability among all readings, 0 to 1. */
  readonly share: number;
}

/** Weights of a layer of units over scaled facts, beside a linear term. */
export interface Net {
  readonly mean: readonly number[];
  readonly spread: readonly number[];
  /** Weights of each unit, and its bias. */
  readonly units: readonly (readonly number[])[];
  readonly out: readonly number[];
  /** Weights of the facts, and a bias. */
  readonly straight: readonly number[];
}
/** Ceiling of a scaled fact, in standard deviations. */
export const FARTHEST = 4;

const NETS: Readonly<Record<string, Net>> = weights;

/** Score of facts; higher is likelier. */
export function scoreOf({ mean, spread, units, out, straight }: Net, facts: Float32Array): number {
  const scaled = mean.map((m, j) => Math.max(-FARTHEST, Math.min(FARTHEST, (facts[j]! - m) / spread[j]!)));
  const sum = (of: readonly number[]): number => scaled.reduce((s, v, j) => s + v * of[j]!, of.at(-1)!);
  return units.reduce((s, unit, k) => s + out[k]! * Math.tanh(sum(unit)), sum(straight));
}

/** All lengths and starts of beats on a grid. */
export function beatsTried({ pulse, steps }: Pick<FactReader, 'pulse' | 'steps'>): { length: number; from: number }[] {
  return LENGTHS.flatMap((length) => {
    const period = (pulse * length) / STEPS;
    if (period > SLOWEST || period < FASTEST || steps < (FEWEST + 1) * length) return [];
    return Array.from({ length }, (_, from) => ({ length, from }));
  });
}

/** Softmax of scores, 0 to 1. */
function shares(scores: readonly number[]): number[] {
  const most = Math.max(...scores);
  const worth = scores.map((s) => Math.exp(s - most));
  const all = worth.reduce((a, b) => a + b, 0);
  return worth.map((w) => w / all);
}

/** Likeliest bar of some beats. @param pulses in a bar, where it is known */
export function barOf(
  reader: FactReader,
  beats: BeatFacts,
  pulses?: number,
): { pulses: number; first: number; share: number; score: number } {
  const bars = (pulses ? [pulses] : BARS).flatMap((p) =>
    Array.from({ length: p }, (_, first) => {
      const net = NETS[String(p)];
      return { pulses: p, first, score: net ? scoreOf(net, reader.bars(beats, p, first)) : -first };
    }),
  );
  const of = shares(bars.map((b) => b.score));
  const best = bars.reduce((a, b, i) => (b.score > bars[a]!.score ? i : a), 0);
  return { ...bars[best]!, share: of[best]! };
}

/** Test for starts that are not neighbours. */
const apart = (a: Reading, b: Reading): boolean => {
  const off = Math.abs(a.from - b.from);
  return Math.min(off, a.length - off) > a.length / 6;
};

/** Score of beats without bars. */
export const beatScore = ({ facts }: BeatFacts): number => scoreOf(NETS.beats!, facts);

/**
 * The likeliest readings of a recording, at most five: the best of each length of a beat, and of the two best lengths
 * their best other start, since those are what is mistaken for each other. Level, phase and bar are weighed together,
 * by weights that `scripts/learnReadings.ts` learns from bands that play by rule; after N. Whiteley, A. Cemgil and S.
 * Godsill, "Bayesian modelling of temporal structure in musical audio", ISMIR 2006, with the whole recording folded
 * onto its bar in place of a filter's way through it.
 */
export function readingsOf(spectrum: Spectrum, grid: Grid): { reader: FactReader; readings: Reading[] } | null {
  if (grid.times.length < 3) return null;
  const reader = factReader(spectrum, grid);
  const tried = beatsTried(reader).map(({ length, from }) => {
    const beats = reader.beats(length, from);
    return { beats, score: beatScore(beats) };
  });
  const all = LENGTHS.flatMap((length) =>
    tried
      .filter(({ beats }) => beats.length === length)
      .sort((a, b) => b.score - a.score)
      .slice(0, BARS_OF),
  )
    .map(({ beats, score }) => {
      const bar = barOf(reader, beats);
      return { beats, bar, score: score + bar.score };
    })
    .sort((a, b) => b.score - a.score);
  if (all.length === 0) return null;
  const of = shares(all.map((r) => r.score));
  return {
    reader,
    readings: all
      .map(({ beats: { length, from }, bar }, i): Reading => ({
        ...{ length, from, pulses: bar.pulses, first: bar.first, share: of[i]! },
      }))
      .filter((own, i, others) => {
        const before = others.slice(0, i).filter(({ length }) => length === own.length);
        const isLikely = [...new Set(others.map(({ length }) => length))].indexOf(own.length) < TWO_STARTS;
        return before.length === 0 || (before.length === 1 && isLikely && apart(own, before[0]!));
      })
      .slice(0, OFFERED),
  };
}
