import type { Seconds } from '../core/time/units';

/** Time at the start that is left out, as usual in beat tracking. */
export const SKIP: Seconds = 5;
/** Largest distance at which a beat counts as found. */
const WITHIN: Seconds = 0.07;

/** Comparison of found and true beats. */
export interface BeatMatch {
  /** F-measure of beats, matched one to one with the nearest true beat. */
  readonly f: number;
  /** Error of each matched beat in milliseconds; positive is late. */
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

/** Test for at least four in five correct first beats of bars. */
export function areFirsts(found: readonly Seconds[], firsts: readonly Seconds[]): boolean {
  const own = found.filter((t) => t >= SKIP && t <= firsts.at(-1)! + WITHIN);
  const hits = own.filter((t) => firsts.some((f) => Math.abs(f - t) <= WITHIN)).length;
  return own.length > 0 && hits >= 0.8 * own.length;
}
