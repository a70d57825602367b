import type { Seconds } from '../../time/units';
import { likelihoods } from './likelihoods';
import { FAR, ownCosts, SLIP, type Belief, type Fadings, type Work } from './model';
import { useOf } from './lineUse';
import { stepCosts, stepsTable } from './rhythmSteps';

/** Prior standard deviation of the looseness, and the least and most that are believed. */
export const NOISE: Seconds = 0.016;
const LEAST_NOISE: Seconds = 0.006;
const MOST_NOISE: Seconds = 0.045;
/** Prior standard deviation of the lean of places; none leans by more than two of them. */
const LEAN: Seconds = 0.005;
/** Time constants over which drift is looked for. */
const DRIFT_OVER: readonly Seconds[] = [0.5, 1, 2, 4];

/**
 * Share of one note's weight that is left at the next, for each of the spans over which drift is looked for: the same
 * for all that is believed of one phrase.
 */
export const fadings = (at: Float64Array): Fadings =>
  DRIFT_OVER.map((over) => at.map((x, i) => (i > 0 ? Math.exp(-(x - at[i - 1]!) / over) : 0)));

/**
 * Mean residual around each onset, without itself, weighted by nearness and shrunk towards 0 where little is near.
 * @param sum receives the means
 * @param weight room to work in, as long
 */
function around(
  keeps: Float64Array,
  values: Float64Array,
  rolled: Uint8Array,
  prior: number,
  sum: Float64Array,
  weight: Float64Array,
): void {
  const n = keeps.length;
  let [s, w] = [0, 0];
  for (let i = 0; i < n; i += 1) {
    if (i > 0) {
      const count = 1 - rolled[i - 1]!;
      s = (s + values[i - 1]! * count) * keeps[i]!;
      w = (w + count) * keeps[i]!;
    }
    sum[i] = s;
    weight[i] = w;
  }
  [s, w] = [0, 0];
  for (let i = n - 2; i >= 0; i -= 1) {
    const count = 1 - rolled[i + 1]!;
    s = (s + values[i + 1]! * count) * keeps[i + 1]!;
    w = (w + count) * keeps[i + 1]!;
    sum[i]! += s;
    weight[i]! += w;
  }
  for (let i = 0; i < n; i += 1) sum[i]! /= weight[i]! + prior;
}

/** Drift at each onset, with the time constant that predicts the onsets best. */
function driftOf(
  { at, fades, drift: expected }: Work,
  off: Float64Array,
  rolled: Uint8Array,
  noise: Seconds,
): Float64Array {
  const n = at.length;
  const most = SLIP * noise + expected;
  const far = FAR * expected;
  const held = off.map((o) => Math.max(-most, Math.min(most, o)));
  const prior = (noise / expected) ** 2;
  let [best, drift] = [new Float64Array(n), new Float64Array(n)];
  const weight = new Float64Array(n);
  let least = Infinity;
  for (const keeps of fades) {
    around(keeps, held, rolled, prior, drift, weight);
    let wrong = 0;
    for (let i = 0; i < n; i += 1) wrong += (1 - rolled[i]!) * Math.abs(held[i]! - drift[i]!);
    if (wrong >= least) continue;
    [best, drift] = [drift, best];
    least = wrong;
  }
  for (let i = 0; i < n; i += 1) best[i] = Math.max(-far, Math.min(far, best[i]!));
  return best;
}

/** Estimate of the player from chosen lines. */
export function beliefOf(work: Work, chosen: Int32Array, rolled: Uint8Array, before: Belief): Belief {
  const { at, lines } = work;
  const n = at.length;
  const off = at.map((x, i) => x - lines.seconds[chosen[i]!]!);
  const rest = off.map((o, i) => o - before.lean[lines.place[chosen[i]!]!]!);
  const drift = driftOf(work, rest, rolled, before.noise);
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
  // The median and not the mean: onsets on a wrong line are far off.
  const noise = m > 0 ? (1.48 * left[m >> 1]! * m + 8 * NOISE) / (m + 8) : NOISE;
  const next = {
    noise: Math.max(LEAST_NOISE, Math.min(MOST_NOISE, noise)),
    drift,
    lean,
    use: before.use,
    steps: before.steps,
  };
  return { ...next, ...usedBy(work, next) };
}

/** Expected use of each line, and steps between them: every onset counts by how likely it belongs there. */
export function usedBy(work: Work, belief: Belief): Pick<Belief, 'use' | 'steps'> {
  const { first, line } = work.all;
  const taken = stepsTable(work.lines);
  const likely = likelihoods(work, ownCosts(work, belief), belief, taken);
  const unstruck = new Float64Array(work.lines.size).fill(1);
  for (let i = 0; i < work.at.length; i += 1) {
    let total = 0;
    for (let c = first[i]!; c < first[i + 1]!; c += 1) total += likely[c]!;
    for (let c = first[i]!; c < first[i + 1]!; c += 1) unstruck[line[c]!]! *= 1 - Math.min(1, likely[c]! / total);
  }
  const struck = unstruck.map((u) => 1 - u);
  const use = useOf(work.lines, struck);
  return { use, steps: stepCosts(work.lines, taken, struck, use) };
}
