import { median } from '../numbers';
import type { Seconds } from '../time/units';
import { levelled, levelsOf } from './handLevels';
import { followed, type Foretold, type Wandering } from './wandering';

/** Length scales of the drift, in seconds: the first guesses of the search. */
const OVER: readonly Seconds[] = [1, 2.4, 5.8, 14];
const SPREAD: readonly Seconds[] = [0.003, 0.012, 0.048];
const OVER_WITHIN: readonly [Seconds, Seconds] = [1, 20];
const SPREAD_WITHIN: readonly [Seconds, Seconds] = [0.001, 0.1];
/** Factors by which the search moves from its best guess, one round each. */
const STEPS: readonly number[] = [2, Math.SQRT2];
const MOST_STEPS = 8;
/**
 * Rounds in which drift and lean are worked out from each other. The model of the drift is fitted in the first ones
 * only.
 */
/** The least gain over no drift at all, in twice the log likelihood, that makes a drift believed. */
const TOLD = 9;
const ROUNDS = 4;
const SOUGHT_ROUNDS = 2;
/** Passages of a long part that the model is fitted to, and the notes in each: more add little. */
const PASSAGES = 4;
const IN_PASSAGE = 150;
/** Prior standard deviation of the lean of a place in the bar. */
const LEANS: Seconds = 0.007;
/** Share of the noise that belongs to the hand. The rest is each finger's, and averages out over a chord. */
const OF_HAND = 0.5;
const LEAST_NOISE: Seconds = 0.002;
/**
 * Residuals beyond so many standard deviations are slips; in the first round they are taken from the median of so many
 * onsets around.
 */
const SLIPS = 2.5;
const AROUND = 4;
/** Factor from the median absolute difference of neighbours to the standard deviation of the noise. */
const DEVIATION_OF_MIDDLE = 1.05;

/** The likeliest model of the drift: every first guess is tried, then the neighbourhood of the best. */
function soughtFrom(
  first: readonly Wandering[],
  steps: readonly number[],
  follow: (w: Wandering) => Foretold,
): Wandering {
  const known = new Map<string, number>();
  const likely = (w: Wandering): number => {
    const key = `${w.over.toPrecision(4)} ${w.spread.toPrecision(4)}`;
    if (!known.has(key)) known.set(key, follow(w).likelihood);
    return known.get(key)!;
  };
  const better = (a: Wandering, b: Wandering): Wandering => (likely(b) > likely(a) ? b : a);
  const isWithin = (x: number, [least, most]: readonly [number, number]): boolean => x >= least && x <= most;
  let best = first.reduce(better);
  for (const step of steps)
    for (let n = 0; n < MOST_STEPS; n += 1) {
      const { over, spread } = best;
      const next = [
        { over: over * step, spread },
        { over: over / step, spread },
        { over, spread: spread * step },
        { over, spread: spread / step },
      ]
        .filter((w) => isWithin(w.over, OVER_WITHIN) && isWithin(w.spread, SPREAD_WITHIN))
        .reduce(better, best);
      if (next === best) break;
      best = next;
    }
  return best;
}

/** Lean of each place in the bar: the mean of its onsets, shrunk towards 0 the fewer they are. */
function leansOf(
  left: Float64Array,
  shares: Float64Array,
  place: ArrayLike<number>,
  noise: Seconds,
): (place: number) => Seconds {
  const [sum, sure] = [new Map<number, number>(), new Map<number, number>()];
  left.forEach((o, i) => {
    sum.set(place[i]!, (sum.get(place[i]!) ?? 0) + o / shares[i]!);
    sure.set(place[i]!, (sure.get(place[i]!) ?? 0) + 1 / shares[i]!);
  });
  const shrinks = (noise / LEANS) ** 2;
  return (p) => sum.get(p)! / (sure.get(p)! + shrinks);
}

/**
 * The slow part of how late a hand is: what is left when chance, and the lean of places in the bar, are taken out. A
 * hand that is off by the same everywhere drifts by just that. How the hand wanders, how far and over how long, is what
 * makes the onsets likeliest.
 * @param at when onsets fall, in seconds, rising
 * @param off by how much each is later than its line, in seconds
 * @param place which place in the bar each is, numbered from 0
 * @param counts of how many notes each is the middle; of one where it is not given
 * @returns the drift at each onset, in seconds
 */
export function slowDrift(
  at: Float64Array,
  off: Float64Array,
  place: ArrayLike<number>,
  counts?: ArrayLike<number>,
): Float64Array {
  const n = at.length;
  const middle = median(off);
  const rest = off.map((o) => o - middle);
  const shares = at.map((_, i) => OF_HAND + (1 - OF_HAND) / (counts?.[i] ?? 1));
  let drift: Float64Array = new Float64Array(n);
  let left = rest;
  let levels: Uint8Array = new Uint8Array(n);
  let likeliest: readonly Wandering[] = OVER.flatMap((over) => SPREAD.map((spread) => ({ over, spread })));
  for (let round = 0; round < ROUNDS && n > 1; round += 1) {
    const noise = noiseOf(left, shares);
    // A slip says nothing of the drift: it counts as if it were just outside of chance.
    const about = round === 0 ? localMiddles(left) : drift;
    const most = SLIPS * noise;
    const held = left.map((o, i) => about[i]! + Math.max(-most, Math.min(most, o - about[i]!)));
    const chance = shares.map((share) => share * noise * noise);
    if (round < SOUGHT_ROUNDS) {
      const [t, o, c] = [passages(at), passages(levelled(held, chance, levels)), passages(chance)];
      const begins = passages(levels);
      likeliest = [soughtFrom(likeliest, STEPS.slice(round), (w) => followed(t, o, c, w, begins))];
      if (round === SOUGHT_ROUNDS - 1 || n <= PASSAGES * IN_PASSAGE) levels = levelsOf(at, held, chance, likeliest[0]!);
    }
    const even = levelled(held, chance, levels);
    const level = held.map((o, i) => o - even[i]!);
    const wandered = followed(at, even, chance, likeliest[0]!, levels);
    const still = even.reduce((s, o, i) => s - Math.log(chance[i]!) - (o * o) / chance[i]!, 0);
    // A wandering that cannot be told from looseness is none: no feel is taken for it.
    const wanders = wandered.likelihood > still + TOLD ? wandered.smoothed() : new Float64Array(n);
    drift = wanders.map((d, i) => d + level[i]!);
    const lean = leansOf(
      rest.map((o, i) => o - drift[i]!),
      shares,
      place,
      noise,
    );
    left = rest.map((o, i) => o - lean(place[i]!));
  }
  return drift.map((d) => d + middle);
}

/** The running median of the residuals. */
const localMiddles = (left: Float64Array): Float64Array =>
  left.map((_, i) => median(left.subarray(Math.max(0, i - AROUND), i + AROUND + 1)));

/** Passages of a long part, spread over all of it; the whole of a short one. */
function passages<A extends Float64Array | Uint8Array>(all: A): A {
  if (all.length <= PASSAGES * IN_PASSAGE) return all;
  const apart = (all.length - IN_PASSAGE) / (PASSAGES - 1);
  const from = Array.from({ length: PASSAGES }, (_, i) => Math.floor(i * apart));
  const some = all.slice(0, PASSAGES * IN_PASSAGE) as A;
  from.forEach((start, i) => some.set(all.subarray(start, start + IN_PASSAGE), i * IN_PASSAGE));
  return some;
}

/** Standard deviation of the noise, from the differences of neighbours, in which the drift cancels out. */
function noiseOf(left: Float64Array, shares: Float64Array): Seconds {
  const apart = left.map((o, i) =>
    i === 0 ? 0 : Math.abs(o - left[i - 1]!) / Math.sqrt((shares[i]! + shares[i - 1]!) / 2),
  );
  return Math.max(LEAST_NOISE, median(apart) * DEVIATION_OF_MIDDLE);
}
