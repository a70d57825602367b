import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { outlived } from './retention';

const left = (all: readonly number[]): number[] => {
  const gone = new Set(outlived(all));
  return all.filter((n) => !gone.has(n));
};

describe('backups by their number', () => {
  it('are all there of a day, one a day of two weeks, one a week of half a year', () => {
    const all = Array.from({ length: 6000 }, (_, i) => i + 1);
    const stay = left(all);
    const between = (from: number, to: number) => stay.filter((n) => 6000 - n >= from && 6000 - n < to).length;
    expect(between(0, 24)).toBe(24);
    expect(between(24, 24 * 14)).toBe(13);
    expect(between(24 * 14, 24 * 7 * 26)).toBe(24);
    expect(between(24 * 7 * 26, Infinity)).toBe(0);
  });

  it('keep the newest, whatever has gone before, and go once', () => {
    const numbers = fc.uniqueArray(fc.integer({ min: 1, max: 6000 }), { minLength: 1, maxLength: 80 });
    fc.assert(
      fc.property(numbers, fc.integer({ min: 1, max: 400 }), (all, later) => {
        const stay = left(all);
        expect(stay).toContain(Math.max(...all));
        expect(outlived(stay)).toEqual([]);
        // What is let go for one that comes later stood for a day or a week that is too far back by then.
        const next = outlived([...stay, Math.max(...all) + later]);
        expect(next.every((n) => stay.includes(n))).toBe(true);
      }),
    );
  });

  it('that are thinned as each is made leave what thinning once leaves', () => {
    let kept: number[] = [];
    for (let n = 1; n <= 5000; n += 1) kept = left([...kept, n]);
    expect(kept).toEqual(left(Array.from({ length: 5000 }, (_, i) => i + 1)));
  });
});
