import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { contextAt, follow, NO_READINGS, performanceAt, type ClockFollower } from './clocks';
import { real } from '../testing/realNumbers';

/** An audio clock that drifts, loses time at some moments, and is read with jitter. */
function world(ppm: number, breaks: readonly { at: number; lost: number }[], seed = 3) {
  const random = seeded(seed);
  const truth = (ms: number) =>
    2 + (ms / 1000) * (1 + ppm * 1e-6) - breaks.filter((b) => b.at <= ms).reduce((sum, b) => sum + b.lost, 0);
  const read = (ms: number) => ({ performance: ms, context: truth(ms) + random.normal(0.0001) });
  return { truth, read };
}

function followed(read: ReturnType<typeof world>['read'], until: number, every = 20): ClockFollower {
  let follower = NO_READINGS;
  for (let ms = 0; ms <= until; ms += every) follower = follow(follower, read(ms));
  return follower;
}

describe('following the audio clock', () => {
  it('knows nothing before the first reading', () => {
    expect(contextAt(NO_READINGS, 5)).toBeUndefined();
    expect(performanceAt(NO_READINGS, 5)).toBeUndefined();
  });

  it('places by the line that held at the time, on both sides of a dropout', () => {
    const { truth, read } = world(30, [{ at: 10_000, lost: 0.02 }]);
    const follower = followed(read, 20_000);
    for (const ms of [3000, 9900, 10_100, 19_000])
      expect(Math.abs(contextAt(follower, ms)! - truth(ms))).toBeLessThan(0.0005);
    expect(follower.epochs).toHaveLength(2);
  });

  it('passes over single odd readings', () => {
    const { truth, read } = world(0, []);
    let follower = NO_READINGS;
    for (let ms = 0; ms < 10_000; ms += 20) {
      const pair = read(ms);
      follower = follow(follower, ms % 700 === 0 && ms > 0 ? { ...pair, context: pair.context - 0.012 } : pair);
    }
    expect(follower.epochs).toHaveLength(1);
    expect(Math.abs(contextAt(follower, 10_000)! - truth(10_000))).toBeLessThan(0.0005);
  });

  it('is right within a millisecond for an hour of drift and dropouts', () => {
    const breaks = fc.uniqueArray(
      fc.record({
        at: fc.integer({ min: 5000, max: 3_500_000 }),
        lost: real(0.003, 0.1),
      }),
      { maxLength: 6, selector: (b) => Math.floor(b.at / 60_000) },
    );
    fc.assert(
      fc.property(fc.integer({ min: -100, max: 100 }), breaks, (ppm, lost) => {
        const { truth, read } = world(ppm, lost);
        let follower = NO_READINGS;
        let worst = 0;
        for (let ms = 0; ms < 3_600_000; ms += 50) {
          follower = follow(follower, read(ms));
          const fresh = lost.some((b) => ms >= b.at && ms < b.at + 200);
          if (!fresh && ms > 1000) worst = Math.max(worst, Math.abs(contextAt(follower, ms)! - truth(ms)));
        }
        expect(worst * 1000).toBeLessThan(1);
      }),
      { numRuns: 3 },
    );
  });
});
