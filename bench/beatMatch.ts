import type { Seconds } from '../core/time/units';

/** The first beats are left out, as is usual: a tracker has to get going. */
export const SKIP: Seconds = 5;
/** A beat counts as found this near to it. */
const WITHIN: Seconds = 0.07;

/** Found beats against the true ones. */
export interface BeatMatch {
  /** Harmonic mean of precision and recall, each found beat going to the nearest true one, one to one. */
  readonly f: number;
  /** Error of each beat that was found, in milliseconds; later is positive. */
  readonly errors: readonly number[];
}

export function beatMatch(times: readonly Seconds[], beats: readonly Seconds[]): BeatMatch {
  const truth = beats.filter((t) => t >= SKIP);
  const found = times.filter((t) => t >= SKIP - WITHIN && t <= beats.at(-1)! + WITHIN);
  const used = new Set<number>();
  const errors: number[] = [];
  for (const t of truth) {
    let best = -1;
    found.forEach((b, i) => {
      if (!used.has(i) && Math.abs(b - t) <= WITHIN && (best < 0 || Math.abs(b - t) < Math.abs(found[best]! - t)))
        best = i;
    });
    if (best < 0) continue;
    used.add(best);
    errors.push((found[best]! - t) * 1000);
  }
  const all = found.length + truth.length;
  return { f: all > 0 ? (2 * errors.length) / all : 0, errors };
}

/** Test for four in five of the found first beats of bars that are first beats. */
export function areFirsts(found: readonly Seconds[], firsts: readonly Seconds[]): boolean {
  const own = found.filter((t) => t >= SKIP && t <= firsts.at(-1)! + WITHIN);
  const hits = own.filter((t) => firsts.some((f) => Math.abs(f - t) <= WITHIN)).length;
  return own.length > 0 && hits >= 0.8 * own.length;
}
