import type { Seconds } from '../time/units';

/**
 * Model of how a hand wanders: each of so many integrals of chance leaks as it fills, and the last of them is the
 * drift. Its spectrum is flat up to a rate and falls off steeply beyond it: a Gaussian process of Matérn's kind,
 * smoothness 9/2, in the form of states (J. Hartikainen and S. Särkkä, 2010). What is slow goes through it, what is
 * quick hardly, and left alone it comes back to where it was.
 */
const STATES = 5;

/** Model of one hand's drift. */
export interface Wandering {
  /** Standard deviation of it. */
  readonly spread: Seconds;
  /** Length scale: drifts a few times this far apart are as good as unrelated. */
  readonly over: Seconds;
}

/** Twice the number of states less one: by it the length of a wandering and how quickly it leaks belong together. */
const LEAK_OF_LENGTH = Math.sqrt(2 * STATES - 1);

/** The covariances of the states of a wandering with a spread of 1, in time counted in leaks: what it settles to. */
const SETTLED = settled();
function settled(): Float64Array {
  const factorial = (n: number): number => (n <= 1 ? 1 : n * factorial(n - 1));
  const of = (i: number, j: number): number => {
    const [a, b] = [STATES - 1 - i, STATES - 1 - j];
    return factorial(a + b) / (factorial(a) * factorial(b) * 2 ** (a + b + 1));
  };
  const whole = of(0, 0);
  return Float64Array.from({ length: STATES * STATES }, (_, k) => of(Math.floor(k / STATES), k % STATES) / whole);
}

/** Forecast of a filter for each note, and its error. */
export interface Foretold {
  /** Twice the logarithm of how likely it all is, but for a constant. */
  readonly likelihood: number;
  /** The drift at each onset, from all of them, before and after. */
  readonly smoothed: () => Float64Array;
}

/** Transition of each state over a rest: row by row, what of the ones above it leaks into it. */
function goesOn(rest: number, into: Float64Array): void {
  into[0] = Math.exp(-rest);
  for (let k = 1; k < STATES; k += 1) into[k] = (into[k - 1]! * rest) / k;
}

/**
 * Follows a wandering hand forwards by a Kalman filter, and smooths it backwards by the adjoint of what was not
 * foreseen (G. J. Bierman, 1973, after A. E. Bryson and M. Frazier).
 * @param at when onsets fall, in seconds, rising
 * @param off by how much each is late, in seconds
 * @param chance the variance of each that is none of the drift's, in seconds squared
 * @param levels 1 where the hand begins at a new level, which says nothing of the one before
 */
export function followed(
  at: Float64Array,
  off: Float64Array,
  chance: Float64Array,
  { spread, over }: Wandering,
  levels?: Uint8Array,
): Foretold {
  const n = at.length;
  const leak = LEAK_OF_LENGTH / over;
  const variance = spread * spread;
  const [wrong, whole, place] = [new Float64Array(n), new Float64Array(n), new Float64Array(n)];
  const gains = new Float64Array(n * STATES);
  const state = new Float64Array(STATES);
  // Covariances less those that they settle to: the difference alone has to be carried on.
  const apart = new Float64Array(STATES * STATES);
  const half = new Float64Array(STATES * STATES);
  const on = new Float64Array(STATES);
  let likelihood = 0;
  for (let i = 0; i < n; i += 1) {
    if (levels?.[i]) {
      state.fill(0);
      apart.fill(0);
    } else if (i > 0) {
      goesOn((at[i]! - at[i - 1]!) * leak, on);
      for (let r = 0; r < STATES; r += 1) {
        let sum = 0;
        for (let k = r; k < STATES; k += 1) sum += on[k - r]! * state[k]!;
        state[r] = sum;
        for (let c = r; c < STATES; c += 1) {
          let x = 0;
          for (let k = r; k < STATES; k += 1) x += on[k - r]! * apart[k * STATES + c]!;
          half[r * STATES + c] = x;
        }
      }
      for (let r = 0; r < STATES; r += 1)
        for (let c = r; c < STATES; c += 1) {
          let x = 0;
          for (let k = c; k < STATES; k += 1) x += on[k - c]! * half[r * STATES + k]!;
          apart[r * STATES + c] = x;
          apart[c * STATES + r] = x;
        }
    }
    const s = variance * SETTLED[0]! + apart[0]! + chance[i]!;
    const e = off[i]! - state[0]!;
    [place[i], wrong[i], whole[i]] = [state[0]!, e, s];
    likelihood -= Math.log(s) + (e * e) / s;
    const own = i * STATES;
    for (let k = 0; k < STATES; k += 1) {
      gains[own + k] = variance * SETTLED[k]! + apart[k]!;
      state[k]! += (gains[own + k]! * e) / s;
    }
    for (let r = 0; r < STATES; r += 1)
      for (let c = r; c < STATES; c += 1) {
        const x = apart[r * STATES + c]! - (gains[own + r]! * gains[own + c]!) / s;
        apart[r * STATES + c] = x;
        apart[c * STATES + r] = x;
      }
  }
  const smoothed = (): Float64Array => {
    const drift = new Float64Array(n);
    const back = new Float64Array(STATES);
    for (let i = n - 1; i >= 0; i -= 1) {
      const own = i * STATES;
      const s = whole[i]!;
      let gained = wrong[i]!;
      for (let k = 0; k < STATES; k += 1) gained += gains[own + k]! * back[k]!;
      back[0]! -= gained / s;
      let x = place[i]!;
      for (let k = 0; k < STATES; k += 1) x -= gains[own + k]! * back[k]!;
      drift[i] = x;
      if (i === 0) break;
      if (levels?.[i]) {
        back.fill(0);
        continue;
      }
      goesOn((at[i]! - at[i - 1]!) * leak, on);
      for (let c = STATES - 1; c >= 0; c -= 1) {
        let sum = 0;
        for (let k = 0; k <= c; k += 1) sum += on[c - k]! * back[k]!;
        back[c] = sum;
      }
    }
    return drift;
  };
  return { likelihood, smoothed };
}
