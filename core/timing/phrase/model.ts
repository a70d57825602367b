import type { Seconds } from '../../time/units';
import type { Candidates } from './candidates';
import type { Lattice } from '../lattice';
import { stepAt } from './rhythmSteps';

/** Drift of more than so many prior standard deviations is hardly believed: it would be another line. */
export const FAR = 1.65;
/** Cost of a grace note, and the distance ahead of its line from which it costs more. */
const LEANS = 2;
const LEANS_AHEAD: Seconds = 0.055;
/**
 * Discount for what looks like a grace note, close ahead of its main note: in full up to the first of these, none
 * beyond the other.
 */
const BRIEF = 4;
const CLOSE: readonly [Seconds, Seconds] = [0.08, 0.12];
/** Residuals beyond so many standard deviations are slips, and cost little more for each further one. */
export const SLIP = 4.5;
const FURTHER = 1;
/** Costs of two onsets on one line, of different keys and of the same key. */
export const MEETS = -0.5;
export const MEETS_ITSELF = 9;
/** Cost of one more note of a roll. */
export const ROLLS = 1;
/** Costs of changing grid within a beat, and from one beat to the next. */
export const SWITCHES_WITHIN = 4.5;
export const SWITCHES = 0.3;

/** In columns, an onset a row. */
export type Fadings = readonly Float64Array[];

/** Input of the search: onsets in columns, the grid lines, and the candidates. */
export interface Work {
  /** Prior standard deviation of the drift. */
  readonly drift: Seconds;
  readonly at: Float64Array;
  /** Decay of an onset's weight up to the next one, for each time constant of the drift. */
  readonly fades: Fadings;
  /** Cost for a note to share its line with the one before. */
  readonly meets: Float64Array;
  readonly rolls: Uint8Array;
  /** Likeness of each to a grace note, 0 to 1. */
  readonly brief: Float64Array;
  readonly lines: Lattice;
  readonly all: Candidates;
}

/** Estimate of the player so far. */
export interface Belief {
  readonly noise: Seconds;
  /** Drift by onset; null while each path follows its own. */
  readonly drift: Float64Array | null;
  /** Lean by place in the bar. */
  readonly lean: Float64Array;
  /** Use by line. */
  readonly use: Float64Array;
  /** Cost of each step of the rhythm (`rhythmSteps.ts`); null while nothing is known of them. */
  readonly steps: Float64Array | null;
}

/**
 * Cost of a grace note so far ahead of its line.
 * @param brief how much it looks like one, 0 to 1
 */
export function leanCost(ahead: Seconds, brief: number): number {
  const close = Math.max(0, Math.min(1, (CLOSE[1] - ahead) / (CLOSE[1] - CLOSE[0])));
  return LEANS - BRIEF * brief * close + (ahead > 0 ? (ahead / LEANS_AHEAD) ** 2 / 2 : 0);
}

/** Cost of a residual: quadratic, as of normal noise, and beyond a slip nearly flat. */
export function misfit(off: number, variance: number): number {
  const far = (off * off) / variance;
  return far <= SLIP * SLIP ? far / 2 : (SLIP * SLIP) / 2 + FURTHER * (Math.sqrt(far) - SLIP);
}

/** Cost of each candidate by itself, under a known drift. */
export function ownCosts({ at, brief, lines, all }: Work, { noise, lean, drift, use }: Belief): Float64Array {
  const own = new Float64Array(all.line.length);
  for (let i = 0; i < at.length; i += 1)
    for (let c = all.first[i]!; c < all.first[i + 1]!; c += 1) {
      const k = all.line[c]!;
      if (all.grace[c]) own[c] = leanCost(lines.seconds[k]! - at[i]!, brief[i]!);
      else own[c] = misfit(at[i]! - lines.seconds[k]! - lean[lines.place[k]!]! - drift![i]!, noise * noise) + use[k]!;
    }
  return own;
}

/** Cost of changing from one grid to the other between two lines. */
export const switchCost = ({ beat, depth }: Lattice, from: number, to: number): number =>
  beat[from] === beat[to] && depth[to] !== 0 ? SWITCHES_WITHIN : SWITCHES;

/** Cost of a step of the rhythm between two lines. */
export function stepCost(lines: Lattice, steps: Float64Array | null, from: number, to: number): number {
  const at = steps ? stepAt(lines, from, to) : -1;
  return at < 0 ? 0 : steps![at]!;
}
