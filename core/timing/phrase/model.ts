import type { Seconds } from '../../time/units';
import type { Candidates } from './candidates';
import type { Lattice } from '../lattice';

/** Drift that is so many times what is expected is hardly believed: it would be another line. */
export const FAR = 1.65;
/** Cost of a grace note, and the distance ahead of its line from which it costs more. */
const LEANS = 2;
const LEANS_AHEAD: Seconds = 0.055;
/** Reduction where it looks like one, close ahead: wholly up to the first of these, not beyond the other. */
const BRIEF = 4;
const CLOSE: readonly [Seconds, Seconds] = [0.08, 0.12];
/** An onset that is off by more standard deviations is a slip: each one more costs but little. */
export const SLIP = 4.5;
const FURTHER = 1;
/** Two onsets on one line, of different keys and of the same. */
export const MEETS = -0.5;
export const MEETS_ITSELF = 9;
/** One more note of a roll. */
export const ROLLS = 1;
/** Another grid in the same beat, and from one beat to the next. */
export const SWITCHES_WITHIN = 4.5;
export const SWITCHES = 0.3;

/** In columns, an onset a row. */
export type Fadings = readonly Float64Array[];

/** Work: what is worked on: onsets in columns, the lines, and what onsets can be put to. */
export interface Work {
  /** The drift that is expected. */
  readonly drift: Seconds;
  readonly at: Float64Array;
  /** For each span over which drift is looked for, how much of one onset's weight is left at the next. */
  readonly fades: Fadings;
  /** Cost for a note to share its line with the one before. */
  readonly meets: Float64Array;
  readonly rolls: Uint8Array;
  /** Likeness of each to a grace note, 0 to 1. */
  readonly brief: Float64Array;
  readonly lines: Lattice;
  readonly all: Candidates;
}

/** Belief about the player so far. */
export interface Belief {
  readonly noise: Seconds;
  /** Drift by note; null while each way through follows its own. */
  readonly drift: Float64Array | null;
  /** Lean by place in the bar. */
  readonly lean: Float64Array;
  /** Use by line. */
  readonly use: Float64Array;
}

/**
 * Cost of a grace note so far ahead of its line.
 * @param brief how much it looks like one, 0 to 1
 */
export function leanCost(ahead: Seconds, brief: number): number {
  const close = Math.max(0, Math.min(1, (CLOSE[1] - ahead) / (CLOSE[1] - CLOSE[0])));
  return LEANS - BRIEF * brief * close + (ahead > 0 ? (ahead / LEANS_AHEAD) ** 2 / 2 : 0);
}

/** Cost of being off: as chance has it, and beyond a slip but little more for each standard deviation. */
export function misfit(off: number, variance: number): number {
  const far = (off * off) / variance;
  return far <= SLIP * SLIP ? far / 2 : (SLIP * SLIP) / 2 + FURTHER * (Math.sqrt(far) - SLIP);
}

/** Costs of candidates by themselves, the drift being known. */
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

/** Cost of going on from one grid to the other. */
export const switchCost = ({ beat, depth }: Lattice, from: number, to: number): number =>
  beat[from] === beat[to] && depth[to] !== 0 ? SWITCHES_WITHIN : SWITCHES;
