import type { Seconds } from '../../time/units';
import { likelihoods } from './likelihoods';
import { FAR, ownCosts, SLIP, type Belief, type Work } from './model';
import { useOf } from './use';

/** The looseness that is expected before any is found, and the least and most that are believed. */
export const NOISE: Seconds = 0.016;
const LEAST_NOISE: Seconds = 0.006;
const MOST_NOISE: Seconds = 0.045;
/** How far places lean, one standard deviation; none leans by more than two. */
const LEAN: Seconds = 0.005;
/** Over how many seconds drift is looked for. */
const DRIFT_OVER: readonly Seconds[] = [0.5, 1, 2, 4];

/** The mean of what lies around each strike, itself left out, weighted by nearness; drawn to 0 where little is. */
function around(
  at: Float64Array,
  values: Float64Array,
  counts: Float64Array,
  over: Seconds,
  prior: number,
): Float64Array {
  const n = at.length;
  const keeps = new Float64Array(n);
  for (let i = 1; i < n; i += 1) keeps[i] = Math.exp(-(at[i]! - at[i - 1]!) / over);
  const [sum, weight] = [new Float64Array(n), new Float64Array(n)];
  let [s, w] = [0, 0];
  for (let i = 1; i < n; i += 1) {
    s = (s + values[i - 1]! * counts[i - 1]!) * keeps[i]!;
    w = (w + counts[i - 1]!) * keeps[i]!;
    sum[i] = s;
    weight[i] = w;
  }
  [s, w] = [0, 0];
  for (let i = n - 2; i >= 0; i -= 1) {
    s = (s + values[i + 1]! * counts[i + 1]!) * keeps[i + 1]!;
    w = (w + counts[i + 1]!) * keeps[i + 1]!;
    sum[i]! += s;
    weight[i]! += w;
  }
  for (let i = 0; i < n; i += 1) sum[i]! /= weight[i]! + prior;
  return sum;
}

/** Drift around each strike over the span that foretells best. */
function driftOf({ at, drift: expected }: Work, off: Float64Array, counts: Float64Array, noise: Seconds): Float64Array {
  const most = SLIP * noise + expected;
  const far = FAR * expected;
  const held = off.map((o) => Math.max(-most, Math.min(most, o)));
  const prior = (noise / expected) ** 2;
  let best: Float64Array = new Float64Array(at.length);
  let least = Infinity;
  for (const over of DRIFT_OVER) {
    const drift = around(at, held, counts, over, prior);
    let wrong = 0;
    for (let i = 0; i < at.length; i += 1) wrong += counts[i]! * Math.abs(held[i]! - drift[i]!);
    if (wrong < least) [best, least] = [drift, wrong];
  }
  return best.map((d) => Math.max(-far, Math.min(far, d)));
}
/** What is believed once lines are chosen. */
export function beliefOf(work: Work, chosen: Int32Array, rolled: Uint8Array, before: Belief): Belief {
  const { at, lines, all } = work;
  const n = at.length;
  const off = at.map((x, i) => x - lines.seconds[chosen[i]!]!);
  const counts = at.map((_, i) => 1 - rolled[i]!);
  const rest = off.map((o, i) => o - before.lean[lines.place[chosen[i]!]!]!);
  const drift = driftOf(work, rest, counts, before.noise);
  const [sum, hits] = [new Float64Array(lines.places), new Float64Array(lines.places)];
  for (let i = 0; i < n; i += 1) {
    const left = off[i]! - drift[i]!;
    if (rolled[i] || Math.abs(left) > SLIP * before.noise) continue;
    sum[lines.place[chosen[i]!]!]! += left;
    hits[lines.place[chosen[i]!]!]! += 1;
  }
  const shrinks = (before.noise / LEAN) ** 2;
  const lean = sum.map((s, p) => Math.max(-2 * LEAN, Math.min(2 * LEAN, s / (hits[p]! + shrinks))));
  const left = off
    .map((o, i) => Math.abs(o - drift[i]! - lean[lines.place[chosen[i]!]!]!))
    .filter((_, i) => !rolled[i])
    .sort();
  const m = left.length;
  // The median and not the mean: strikes on a wrong line are far off.
  const noise = m > 0 ? (1.48 * left[m >> 1]! * m + 8 * NOISE) / (m + 8) : NOISE;
  const next = { noise: Math.max(LEAST_NOISE, Math.min(MOST_NOISE, noise)), drift, lean, use: before.use };
  const likely = likelihoods(work, ownCosts(work, next), next.use);
  const unstruck = new Float64Array(lines.place.length).fill(1);
  for (let i = 0; i < n; i += 1) {
    let total = 0;
    for (let c = all.first[i]!; c < all.first[i + 1]!; c += 1) total += likely[c]!;
    for (let c = all.first[i]!; c < all.first[i + 1]!; c += 1)
      unstruck[all.line[c]!]! *= 1 - Math.min(1, likely[c]! / total);
  }
  return {
    ...next,
    use: useOf(
      lines,
      unstruck.map((u) => 1 - u),
    ),
  };
}
