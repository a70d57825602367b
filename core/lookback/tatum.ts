import type { Seconds } from '../time/units';
import type { Onset } from './onsets';

/** The finest pulse that onsets follow: where each onset lies on it, counted from the first. */
export interface Tatum {
  /** In the mean. */
  readonly length: Seconds;
  /** For each onset, how many pulses after the first it was. */
  readonly places: readonly number[];
  /** Distance of notes from their places, one standard deviation. */
  readonly error: Seconds;
}

const SHORTEST: Seconds = 0.07;
const LONGEST: Seconds = 1.35;
const STEP = 1.018;
/** Rate at which the pulse follows what is played. */
const FOLLOW = 0.18;
/** The looseness that is expected of a player. */
const LOOSE: Seconds = 0.016;
/** Number of pulses that are gone into. */
const MOST = 7;

/**
 * Follows onsets with a pulse that starts at a length and lets itself be drawn. Returns undefined when onsets fall
 * together on it.
 */
function follow(onsets: readonly Onset[], start: Seconds): Tatum | undefined {
  let length = start;
  let place = 0;
  // Place at which the pulse expects the last onset.
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
    // The last belief is corrected by part of what it was off; the length by what that is for each pulse.
    expected += steps * length + 0.45 * off;
    length = Math.max(start * 0.85, Math.min(start * 1.15, length + (FOLLOW * off) / Math.max(2, steps)));
  }
  return {
    length: (onsets.at(-1)!.at - onsets[0]!.at) / Math.max(1, place),
    places,
    error: Math.sqrt(squares / (onsets.length - 1)),
  };
}

/** Cost of a pulse: how far onsets are off it, and how much finer it is than it would have to be. */
export function tatumCost({ length, places, error }: Tatum): number {
  const fine = places.at(-1)! / Math.max(1, places.length - 1);
  // Any onset is near a pulse that is fine enough: what is off counts against what chance would be off.
  return (
    (error / Math.max(LOOSE, 0.289 * length * 0.28)) ** 2 * 1.1 +
    Math.log2(fine + 0.5) * 0.8 +
    (error > 0.2 * length ? 3 : 0)
  );
}

/** The same places give the same fingerprint, and others hardly ever. */
const fingerprintOf = (places: readonly number[]): string => {
  let sum = 0;
  for (const place of places) sum = (Math.imul(sum, 31) + place) | 0;
  return `${places.at(-1)!} ${sum}`;
};

/** The likeliest pulses, the best first; of those that count the onsets alike, one. */
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
