import type { Seconds } from '../time/units';

/** How fast the bend of drift may change: what is tried, in seconds a second, each second, each second, squared. */
const BENDS: readonly number[] = [1e-9, 1e-8, 1e-7, 4e-7, 1.6e-6, 6e-6, 2.4e-5, 1e-4, 4e-4, 1.6e-3];
/** Place, slope and bend before anything is known. */
const UNKNOWN = 1;
const STATES = 3;
const ROUNDS = 3;
/** A place's lean is believed as if so many strikes without one had been there. */
const LEAN_SHRINKS = 2;
const LEAST_NOISE: Seconds = 0.002;
/** A longer rest says no more than this: what bent before it is as good as forgotten. */
const LONGEST_REST: Seconds = 60;

interface Smoothed {
  readonly drift: Float64Array;
  readonly likelihood: number;
}

/**
 * A drift that bends on as it bent, but for a little: its place, slope and bend are followed forwards by a Kalman
 * filter, and smoothed backwards by the adjoint of what it did not foresee (G. J. Bierman, 1973, after A. E. Bryson and
 * M. Frazier). It is a smoothing spline of the fifth degree (G. Wahba): what is slow goes through it, what is quick
 * hardly.
 */
function smooth(at: Float64Array, off: Float64Array, variance: number, bends: number): Smoothed {
  const n = at.length;
  const restBefore = (i: number): Seconds => Math.min(LONGEST_REST, at[i]! - at[i - 1]!);
  // What was foretold: place, the covariances of place with all three, and what was not foreseen with its variance.
  const [place, p, q, r] = [0, 0, 0, 0].map(() => new Float64Array(n)) as [Float64Array, ...Float64Array[]];
  const [wrong, whole] = [new Float64Array(n), new Float64Array(n)];
  let [x, v, b] = [0, 0, 0];
  let [xx, xv, xb, vv, vb, bb] = [UNKNOWN, 0, 0, UNKNOWN, 0, UNKNOWN];
  let likelihood = 0;
  for (let i = 0; i < n; i += 1) {
    if (i > 0) {
      const t = restBefore(i);
      const h = (t * t) / 2;
      x += t * v + h * b;
      v += t * b;
      const [a0, a1, a2] = [xx + t * xv + h * xb, xv + t * vv + h * vb, xb + t * vb + h * bb];
      const [b1, b2] = [vv + t * vb, vb + t * bb];
      xx = a0 + t * a1 + h * a2 + (bends * t ** 5) / 20;
      xv = a1 + t * a2 + (bends * t ** 4) / 8;
      xb = a2 + (bends * t ** 3) / 6;
      vv = b1 + t * b2 + (bends * t ** 3) / 3;
      vb = b2 + (bends * t * t) / 2;
      bb += bends * t;
    }
    [place[i], p![i], q![i], r![i]] = [x, xx, xv, xb];
    const s = xx + variance;
    const e = off[i]! - x;
    [wrong[i], whole[i]] = [e, s];
    if (i >= STATES) likelihood -= Math.log(s) + (e * e) / s;
    const [gx, gv, gb] = [xx / s, xv / s, xb / s];
    x += gx * e;
    v += gv * e;
    b += gb * e;
    vv -= gv * xv;
    vb -= gv * xb;
    bb -= gb * xb;
    xx -= gx * xx;
    xv -= gx * xv;
    xb -= gx * xb;
  }
  const drift = new Float64Array(n);
  let [l0, l1, l2] = [0, 0, 0];
  for (let i = n - 1; i >= 0; i -= 1) {
    const s = whole[i]!;
    l0 -= (p![i]! * l0 + q![i]! * l1 + r![i]! * l2 + wrong[i]!) / s;
    drift[i] = place[i]! - (p![i]! * l0 + q![i]! * l1 + r![i]! * l2);
    if (i === 0) break;
    const t = restBefore(i);
    [l0, l1, l2] = [l0, t * l0 + l1, ((t * t) / 2) * l0 + t * l1 + l2];
  }
  return { drift, likelihood };
}

/** The middle one of the values. */
export function median(values: ArrayLike<number>): number {
  const sorted = Float64Array.from(values).sort();
  const n = sorted.length;
  if (n === 0) return 0;
  return n % 2 ? sorted[n >> 1]! : (sorted[n / 2 - 1]! + sorted[n / 2]!) / 2;
}

/**
 * The slow part of how late a hand is: what is left when chance, and the lean of places in the bar, are taken out. A
 * hand that is off by the same everywhere drifts by just that.
 * @param at when strikes fall, in seconds, rising
 * @param off by how much each is later than its line, in seconds
 * @param place which place in the bar each is, numbered from 0
 * @returns the drift at each strike, in seconds
 */
export function slowDrift(at: Float64Array, off: Float64Array, place: ArrayLike<number>): Float64Array {
  const n = at.length;
  const middle = median(off);
  const rest = off.map((o) => o - middle);
  let drift = new Float64Array(n);
  let lean = new Float64Array(n);
  for (let round = 0; round < ROUNDS && n > 1; round += 1) {
    const left = rest.map((o, i) => o - lean[i]!);
    // Chance, from how far neighbours are apart: drift is nearly the same for both.
    const noise = Math.max(LEAST_NOISE, median(left.map((o, i) => Math.abs(o - (left[i - 1] ?? o)))) * 1.05);
    // A slip says nothing of the drift.
    const most = round === 0 ? 6 * (noise + 1.5 * median(left.map(Math.abs))) : 5 * noise;
    const held = left.map((o, i) => drift[i]! + Math.max(-most, Math.min(most, o - drift[i]!)));
    const tried = BENDS.map((bends) => smooth(at, held, noise * noise, bends));
    drift = Float64Array.from(tried.reduce((best, t) => (t.likelihood > best.likelihood ? t : best)).drift);
    const [sum, hits] = [new Map<number, number>(), new Map<number, number>()];
    rest.forEach((o, i) => {
      sum.set(place[i]!, (sum.get(place[i]!) ?? 0) + o - drift[i]!);
      hits.set(place[i]!, (hits.get(place[i]!) ?? 0) + 1);
    });
    lean = rest.map((_, i) => sum.get(place[i]!)! / (hits.get(place[i]!)! + LEAN_SHRINKS));
  }
  return drift.map((d) => d + middle);
}
