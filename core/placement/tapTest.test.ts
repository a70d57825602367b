import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { outputFromTaps, readTaps, TAP_CLICKS, TAP_EVERY } from './tapTest';

describe('the tap test', () => {
  const clicks = Array.from({ length: TAP_CLICKS }, (_, i) => 5 + i * TAP_EVERY);
  const taps = (late: number, spread: number, seed = 2) => {
    const random = seeded(seed);
    return clicks.map((c) => c + late + random.normal(spread));
  };

  it('says how late the taps are, and how far they lie apart, whatever single slips there are', () => {
    const good = taps(0.045, 0.008);
    const found = readTaps(clicks, [...good.slice(0, 9), good[9]! + 0.2, ...good.slice(11), good[4]! + 0.1]);
    expect(found).toMatchObject({ type: 'measured' });
    if (found.type === 'measured') {
      expect(Math.abs(found.late - 0.045)).toBeLessThan(0.006);
      expect(found.spread).toBeLessThan(0.014);
    }
  });

  it('refuses too few taps, and taps that follow nothing', () => {
    expect(readTaps(clicks, [])).toEqual({ type: 'refused', why: 'few' });
    expect(readTaps(clicks, taps(0.02, 0.005).slice(0, 8))).toEqual({ type: 'refused', why: 'few' });
    expect(readTaps(clicks, taps(0, 0.12, 5))).toEqual({ type: 'refused', why: 'wide' });
  });

  it('knows the output latency from two of them, without the habit of tapping early', () => {
    const habit = -0.03;
    const of = (late: number, seed: number) => {
      const found = readTaps(clicks, taps(late, 0.004, seed));
      return found.type === 'measured' ? found.late : Number.NaN;
    };
    expect(outputFromTaps(of(0.06 + habit, 3), of(habit, 4))).toBeCloseTo(0.06, 2);
    expect(outputFromTaps(-0.01, 0.02)).toBe(0);
  });
});
