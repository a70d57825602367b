import type { Seconds } from '../time/units';
import { followed, type Wandering } from './wandering';

/** Window on either side of a place in which a change of level is looked for, and the fewest onsets in it. */
const NEAR: Seconds = 5;
const LEAST_NEAR = 4;
const LEAST_AFTER_REST = 3;
/** Silence that is longer than this is a rest: the hand may come back at another level. */
const REST: Seconds = 1.6;
/** Distance between the means of the two sides beyond which a change of level is tried, in standard deviations. */
const APART = 2.6;
/** The gain that a change of level needs, in twice the log likelihood: amid playing, and after a rest. */
const BETTER = 14;
const BETTER_AFTER_REST = 8;
/** Prior standard deviation of a level about the hand's mean. */
const LEVEL: Seconds = 0.025;
const MOST_TRIED = 48;
/** Onsets that are looked at on either side: those further away say nothing of the change. */
const AROUND = 120;
/** Slow wanderings that are held against the one in force, since without its changes of level a hand wanders less. */
const SLOW: readonly Wandering[] = [
  { over: 14, spread: 0.003 },
  { over: 14, spread: 0.008 },
  { over: 5.8, spread: 0.008 },
];

/** Ranges of one level, by their first onset and the one after their last. */
function rangesOf(levels: Uint8Array): readonly (readonly [from: number, to: number])[] {
  const starts = [0];
  for (let i = 1; i < levels.length; i += 1) if (levels[i]) starts.push(i);
  return starts.map((from, k) => [from, starts[k + 1] ?? levels.length] as const);
}

/** Lateness without the level of its range; all of it where the level never changes. */
export function levelled(off: Float64Array, chance: Float64Array, levels: Uint8Array): Float64Array {
  const ranges = rangesOf(levels);
  if (ranges.length === 1) return off;
  const left = off.slice();
  for (const [from, to] of ranges) left.set(withoutLevel(off.subarray(from, to), chance.subarray(from, to)), from);
  return left;
}

/** Residuals of one level: its mean is taken off, shrunk towards 0 the fewer onsets it has. */
function withoutLevel(off: Float64Array, chance: Float64Array): Float64Array {
  let [sum, sure] = [0, 0];
  for (let i = 0; i < off.length; i += 1) {
    sum += off[i]! / chance[i]!;
    sure += 1 / chance[i]!;
  }
  const level = sum / (sure + 1 / LEVEL ** 2);
  return off.map((o) => o - level);
}

/**
 * Distance between the means on either side of each onset, in standard deviations; 0 where there are too few onsets.
 */
function apartAt(at: Float64Array, off: Float64Array, chance: Float64Array): Float64Array {
  const n = at.length;
  const [sums, sures] = [new Float64Array(n + 1), new Float64Array(n + 1)];
  for (let i = 0; i < n; i += 1) {
    sums[i + 1] = sums[i]! + off[i]! / chance[i]!;
    sures[i + 1] = sures[i]! + 1 / chance[i]!;
  }
  const apart = new Float64Array(n);
  let [low, high] = [0, 0];
  for (let i = 1; i < n; i += 1) {
    const isRest = at[i]! - at[i - 1]! > REST;
    const least = isRest ? LEAST_AFTER_REST : LEAST_NEAR;
    while (at[i - 1]! - at[low]! > NEAR) low += 1;
    while (high < n && at[high]! - at[i]! <= NEAR) high += 1;
    if (i - low < least || high - i < least) continue;
    const [before, after] = [sures[i]! - sures[low]!, sures[high]! - sures[i]!];
    const by = (sums[high]! - sums[i]!) / after - (sums[i]! - sums[low]!) / before;
    apart[i] = Math.abs(by) / Math.sqrt(1 / before + 1 / after);
  }
  return apart;
}

/** Places where the level may change: those that stand out most, none close to another. */
function placesIn(at: Float64Array, apart: Float64Array): number[] {
  const order = [...apart.keys()].filter((i) => apart[i]! > APART).sort((a, b) => apart[b]! - apart[a]!);
  const chosen: number[] = [];
  for (const i of order) {
    if (chosen.length >= MOST_TRIED) break;
    if (chosen.every((c) => Math.abs(at[c]! - at[i]!) > NEAR / 2)) chosen.push(i);
  }
  return chosen;
}

/**
 * Changes of level: onsets from which on a hand lies elsewhere, as after a rest, or when it hears itself
 * anew. That is no wandering: followed as one, it is smeared over seconds on either side. A change is believed where it
 * makes the onsets likelier by more than what a change costs.
 * @param at when onsets fall, in seconds, rising
 * @param off by how much each is late, in seconds
 * @param chance the variance of each that is not the hand's as a whole, in seconds squared
 * @returns 1 at each onset from which on there is a new level
 */
export function levelsOf(at: Float64Array, off: Float64Array, chance: Float64Array, wandering: Wandering): Uint8Array {
  const isRest = (i: number): boolean => at[i]! - at[i - 1]! > REST;
  const apart = apartAt(at, off, chance);
  const levels = new Uint8Array(at.length);
  const found = placesIn(at, apart);
  if (found.length === 0) return levels;
  const ways = [wandering, ...SLOW];
  const changes = [0, ...found, at.length].sort((a, b) => a - b);
  /** Log likelihood of a range of one level, by each way of wandering. */
  const likely = (from: number, to: number, isAll: boolean): number[] => {
    const [t, o, c] = [at.subarray(from, to), off.subarray(from, to), chance.subarray(from, to)];
    const left = isAll ? o : withoutLevel(o, c);
    return ways.map((w) => followed(t, left, c, w).likelihood);
  };
  const sum = (a: readonly number[], b: readonly number[]): number[] => a.map((x, i) => x + b[i]!);
  let cost = 0;
  // All that can be changes are believed at first: one by one, among others unseen, none would explain much.
  for (const i of [...found].sort((a, b) => apart[a]! - apart[b]!)) {
    const k = changes.indexOf(i);
    const [from, to] = [Math.max(changes[k - 1]!, i - AROUND), Math.min(changes[k + 1]!, i + AROUND)];
    const better =
      Math.max(...sum(likely(from, i, false), likely(i, to, false))) - Math.max(...likely(from, to, false));
    const own = isRest(i) ? BETTER_AFTER_REST : BETTER;
    if (better < own) changes.splice(k, 1);
    else cost += own;
  }
  const ranges = changes.slice(1).map((to, k) => likely(changes[k]!, to, false));
  const total = ranges.reduce(sum);
  // Many changes can together pass for a wandering, which is simpler.
  if (Math.max(...total) - cost > Math.max(...likely(0, at.length, true)))
    for (const i of changes.slice(1, -1)) levels[i] = 1;
  return levels;
}
