import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DB_PER_DECADE, velocityRanges } from './velocityRanges';

const rising = fc
  .array(fc.double({ min: 1.5, max: 6, noNaN: true }), { minLength: 1, maxLength: 10 })
  .map((steps) => steps.map((_, i) => steps.slice(0, i + 1).reduce((sum, x) => sum + x, 0)));

describe('the velocities of recorded strengths', () => {
  it('are every velocity once, the softest first', () => {
    fc.assert(
      fc.property(rising, (levels) => {
        const ranges = velocityRanges(levels);
        expect(ranges[0]!.min).toBe(1);
        expect(ranges.at(-1)!.max).toBe(127);
        ranges.slice(1).forEach(({ min }, i) => expect(min).toBe(ranges[i]!.max + 1));
      }),
    );
  });

  it('have the velocity of a strength’s own loudness among them, wherever one is that loud', () => {
    fc.assert(
      fc.property(rising, (levels) => {
        for (const [i, { min, max }] of velocityRanges(levels).entries()) {
          const own = 127 * 10 ** ((levels[i]! - levels.at(-1)!) / DB_PER_DECADE);
          // Below 1 there is no velocity, and ranges end at whole ones.
          if (own < 1) continue;
          expect(own).toBeGreaterThan(min - 1.5);
          expect(own).toBeLessThan(max + 1.5);
        }
      }),
    );
  });
});
