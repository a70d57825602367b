import type { Seconds } from '../time/units';

/** How fast drift may turn: what is tried, in seconds a second, each second. */
const TURNS: readonly number[] = [1e-8, 1e-7, 1e-6, 4e-6, 1.6e-5, 6e-5, 2.5e-4, 1e-3];
const UNKNOWN = 1;
const ROUNDS = 3;
/** A place's lean is believed as if so many strikes without one had been there. */
const LEAN_SHRINKS = 2;
const LEAST_NOISE: Seconds = 0.002;

interface Smoothed {
  readonly drift: Float64Array;
  readonly likelihood: number;
}

/**
 * A drift that goes on as it went, but for a little: its place and its slope are followed forwards by a Kalman filter
 * and smoothed backwards (H. E. Rauch, F. Tung and C. T. Striebel, 1965). It is a cubic smoothing spline (G. Wahba).
 */
function smooth(at: Float64Array, off: Float64Array, variance: number, turns: number): Smoothed {
  const n = at.length;
  // Filtered and foretold: place, slope, and their covariances a, b, c.
  const [x, v, a, b, c] = [0, 0, 0, 0, 0].map(() => new Float64Array(n)) as [Float64Array, ...Float64Array[]];
  const [fx, fv, fa, fb, fc] = [0, 0, 0, 0, 0].map(() => new Float64Array(n)) as [Float64Array, ...Float64Array[]];
  let likelihood = 0;
  for (let i = 0; i < n; i += 1) {
    if (i === 0) {
      fa![0] = UNKNOWN;
      fc![0] = UNKNOWN;
    } else {
      const t = at[i]! - at[i - 1]!;
      fx[i] = x[i - 1]! + t * v![i - 1]!;
      fv![i] = v![i - 1]!;
      fa![i] = a![i - 1]! + 2 * t * b![i - 1]! + t * t * c![i - 1]! + (turns * t ** 3) / 3;
      fb![i] = b![i - 1]! + t * c![i - 1]! + (turns * t * t) / 2;
      fc![i] = c![i - 1]! + turns * t;
    }
    const whole = fa![i]! + variance;
    const wrong = off[i]! - fx[i]!;
    likelihood -= Math.log(whole) + (wrong * wrong) / whole;
    const [gain, slopeGain] = [fa![i]! / whole, fb![i]! / whole];
    x[i] = fx[i]! + gain * wrong;
    v![i] = fv![i]! + slopeGain * wrong;
    a![i] = fa![i]! * (1 - gain);
    b![i] = fb![i]! * (1 - gain);
    c![i] = fc![i]! - slopeGain * fb![i]!;
  }
  for (let i = n - 2; i >= 0; i -= 1) {
    const t = at[i + 1]! - at[i]!;
    const det = fa![i + 1]! * fc![i + 1]! - fb![i + 1]! ** 2;
    if (!(det > 0)) continue;
    // Gain: P F' (foretold P)^-1.
    const [p, q] = [a![i]! + t * b![i]!, b![i]!];
    const [r, s] = [b![i]! + t * c![i]!, c![i]!];
    const [dx, dv] = [x[i + 1]! - fx[i + 1]!, v![i + 1]! - fv![i + 1]!];
    const [ix, iv] = [(fc![i + 1]! * dx - fb![i + 1]! * dv) / det, (fa![i + 1]! * dv - fb![i + 1]! * dx) / det];
    x[i]! += p * ix + q * iv;
    v![i]! += r * ix + s * iv;
  }
  return { drift: x, likelihood };
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
    const tried = TURNS.map((turns) => smooth(at, held, noise * noise, turns));
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
