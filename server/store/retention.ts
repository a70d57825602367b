import type { Milliseconds } from '../../core/time/units';

const HOUR: Milliseconds = 3_600_000;
const DAY = 24 * HOUR;
const WEEK = 7 * DAY;

/** How far back backups lie how close: one an hour for a day, one a day for two weeks, one a week for half a year. */
const STEPS: readonly (readonly [every: Milliseconds, until: Milliseconds])[] = [
  [HOUR, DAY],
  [DAY, 2 * WEEK],
  [WEEK, 26 * WEEK],
];

/**
 * Which backups go: of those in one hour, day or week the oldest stays, so that the ones that stay do not change as
 * time goes on; the newest stays in any case.
 * @param all when each was made, in milliseconds since 1970
 * @returns those that go
 */
export function outlived(all: readonly Milliseconds[], now: Milliseconds): Milliseconds[] {
  const sorted = [...all].sort((a, b) => a - b);
  const stays = new Set<Milliseconds>(sorted.slice(-1));
  for (const [every, until] of STEPS) {
    const taken = new Set<number>();
    for (const at of sorted) {
      const slot = Math.floor(at / every);
      if (now - at > until || taken.has(slot)) continue;
      taken.add(slot);
      stays.add(at);
    }
  }
  return sorted.filter((at) => !stays.has(at));
}
