import type { Seconds } from '../time/units';
import type { Onset } from './onsets';

/** Tatum: the finest pulse that onsets follow, with each onset's place on it. */
export interface Tatum {
  /** Mean length. */
  readonly length: Seconds;
  /** Number of pulses from the first onset to each. */
  readonly places: readonly number[];
  /** Standard deviation of onsets from their places. */
  readonly error: Seconds;
}

const SHORTEST: Seconds = 0.07;
const LONGEST: Seconds = 1.35;
const STEP = 1.018;
/** Adaptation rate of the pulse to the playing. */
const FOLLOW = 0.18;
/** Prior looseness of a player. */
const LOOSE: Seconds = 0.016;
/** Number of pulses that are examined further. */
const MOST = 7;

/** Tracks onsets with a pulse of some initial length. @returns undefined where several onsets fall on one place */
function follow(onsets: readonly Onset[], start: Seconds): Tatum | undefined {
  let length = start;
  let place = 0;
  // Predicted time of the last onset.
  let expected = onsets[0]!.at;
  const places = [0];
  let squares = 0;
  for (let i = 1; i < onsets.length; i += 1) {
    const gap = onsets[i]!.at - expected;
    const steps = Math.round(gap / length);
    if (steps < 1) return undefined;
    const off = gap - steps * length;
    squares += off * off;
    place += steps;
    places.push(place);
    // The prediction is corrected by a share of its error, the length by that share for each pulse.
    expected += steps * length + 0.45 * off;
    length = Math.max(start * 0.85, Math.min(start * 1.15, length + (FOLLOW * off) / Math.max(2, steps)));
  }
  return {
    length: (onsets.at(-1)!.at - onsets[0]!.at) / Math.max(1, place),
    places,
    error: Math.sqrt(squares / (onsets.length - 1)),
  };
}

/** Cost of a pulse: the error of onsets, and its fineness. */
export function tatumCost({ length, places, error }: Tatum): number {
  const fine = places.at(-1)! / Math.max(1, places.length - 1);
  // Any onset is near a fine enough pulse, so errors count against those by chance.
  return (
    (error / Math.max(LOOSE, 0.289 * length * 0.28)) ** 2 * 1.1 +
    Math.log2(fine + 0.5) * 0.8 +
    (error > 0.2 * length ? 3 : 0)
  );
}

/** Fingerprint of places, by which equal tatums are recognized. */
const fingerprintOf = (places: readonly number[]): string => {
  let sum = 0;
  for (const place of places) sum = (Math.imul(sum, 31) + place) | 0;
  return `${places.at(-1)!} ${sum}`;
};

/** Likeliest tatums, the best first, without duplicates. */
export function tatums(onsets: readonly Onset[]): Tatum[] {
  const found = new Map<string, { tatum: Tatum; cost: number }>();
  for (let length = SHORTEST; length < LONGEST; length *= STEP) {
    const tatum = follow(onsets, length);
    if (!tatum) continue;
    const key = fingerprintOf(tatum.places);
    const known = found.get(key);
    const now = tatumCost(tatum);
    if (!known || now < known.cost) found.set(key, { tatum, cost: now });
  }
  return [...found.values()]
    .sort((a, b) => a.cost - b.cost)
    .slice(0, MOST)
    .map(({ tatum }) => tatum);
}
