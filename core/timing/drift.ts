import type { Seconds } from '../time/units';
import { levelled, levelsOf } from './handLevels';
import { followed, type Foretold, type Wandering } from './wandering';

/** Time spans over which a hand may wander: what is looked at first, and how far from there it is sought. */
const OVER: readonly Seconds[] = [1, 2.4, 5.8, 14];
const SPREAD: readonly Seconds[] = [0.003, 0.012, 0.048];
const OVER_WITHIN: readonly [Seconds, Seconds] = [1, 20];
const SPREAD_WITHIN: readonly [Seconds, Seconds] = [0.001, 0.1];
/** Steps in which it is sought from the best so far, so often at most. */
const STEPS: readonly number[] = [2, Math.SQRT2];
const MOST_STEPS = 8;
/** Drift and lean are worked out from each other so often; how the hand wanders only while they still change. */
/** The gain that a wandering needs over none, in twice the log likelihood. */
const TOLD = 9;
const ROUNDS = 4;
const SOUGHT_ROUNDS = 2;
/** Number of passages of a long part in which it is sought, and of the notes in each: more say little more. */
const PASSAGES = 4;
const IN_PASSAGE = 150;
/** Standard deviation of how far places lean. */
const LEANS: Seconds = 0.007;
/** Share of chance that is the hand's: the rest is each finger's, and less in the middle of several. */
const OF_HAND = 0.5;
const LEAST_NOISE: Seconds = 0.002;
/** Further from the drift than so many deviations of chance is a slip; at first, from the middle of so many around. */
const SLIPS = 2.5;
const AROUND = 4;
/** Factor from the middle one of the differences of neighbours to one standard deviation of what makes them. */
const DEVIATION_OF_MIDDLE = 1.05;

/** The middle one of the values. */
export function median(values: ArrayLike<number>): number {
  const sorted = Float64Array.from(values).sort();
  const n = sorted.length;
  if (n === 0) return 0;
  return n % 2 ? sorted[n >> 1]! : (sorted[n / 2 - 1]! + sorted[n / 2]!) / 2;
}

/** The likeliest wandering: every first one is tried, then what lies about the best. */
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

/** Lean of each place: as far as its onsets do, less the fewer they are. */
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

/** The middle one of each onset and the ones around it. */
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

/** Chance, from how far neighbours are apart: drift is nearly the same for both. One standard deviation. */
function noiseOf(left: Float64Array, shares: Float64Array): Seconds {
  const apart = left.map((o, i) =>
    i === 0 ? 0 : Math.abs(o - left[i - 1]!) / Math.sqrt((shares[i]! + shares[i - 1]!) / 2),
  );
  return Math.max(LEAST_NOISE, median(apart) * DEVIATION_OF_MIDDLE);
}
