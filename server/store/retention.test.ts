import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { outlived } from './retention';

const HOUR = 3_600_000;
const NOW = Date.UTC(2026, 0, 1);

describe('backups by age', () => {
  it('are hourly for a day, daily for two weeks, weekly for half a year', () => {
    const every = (step: number, count: number) => Array.from({ length: count }, (_, i) => NOW - i * step);
    const half = every(HOUR / 2, 2 * 24 * 400);
    const gone = new Set(outlived(half, NOW));
    const left = half.filter((at) => !gone.has(at));
    const between = (from: number, to: number) =>
      left.filter((at) => NOW - at >= from * HOUR && NOW - at < to * HOUR).length;
    expect(between(0, 24)).toBeGreaterThanOrEqual(24);
    expect(between(48, 24 * 14)).toBeLessThanOrEqual(13);
    expect(between(48, 24 * 14)).toBeGreaterThanOrEqual(11);
    expect(between(24 * 21, 24 * 7 * 26)).toBeGreaterThanOrEqual(22);
    expect(between(24 * 7 * 27, 1e9)).toBe(0);
    expect(left.length).toBeLessThan(80);
  });

  it('keep the newest, and what stayed once is let go only for its age', () => {
    const times = fc.array(fc.integer({ min: NOW - 300 * 24 * HOUR, max: NOW }), { minLength: 1, maxLength: 60 });
    fc.assert(
      fc.property(times, fc.integer({ min: 0, max: 48 }), (all, later) => {
        const first = new Set(outlived(all, NOW));
        const left = all.filter((at) => !first.has(at));
        expect(left).toContain(Math.max(...all));
        // Looking again at once lets nothing more go.
        expect(outlived(left, NOW)).toEqual([]);
        const next = outlived([...left, NOW + later * HOUR], NOW + later * HOUR);
        expect(next.every((at) => left.includes(at))).toBe(true);
      }),
    );
  });
});
