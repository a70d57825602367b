import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { fitClocks, type ClockPair } from './clockFit';

/** Readings of an audio clock that started at 3 s and runs `ppm` fast, each late by some jitter. */
function readings(seconds: number, every: number, ppm: number, jitter: number): ClockPair[] {
  const random = seeded(7);
  return Array.from({ length: Math.floor(seconds / every) }, (_, i) => {
    const performance = 5000 + i * every * 1000;
    return { performance, context: 3 + i * every * (1 + ppm * 1e-6) + random.normal(jitter) };
  });
}

describe('a fit between two clocks', () => {
  it('takes a single reading as it is', () => {
    const fit = fitClocks([{ performance: 1000, context: 2 }]);
    expect(fit.contextAt(1500)).toBe(2.5);
    expect(fit.performanceAt(2.5)).toBe(1500);
  });

  it('refuses to guess from nothing', () => {
    expect(() => fitClocks([])).toThrow(RangeError);
  });

  it('finds drift through jitter', () => {
    const fit = fitClocks(readings(30, 0.5, 80, 0.0005));
    expect(fit.drift * 1e6).toBeGreaterThan(40);
    expect(fit.drift * 1e6).toBeLessThan(120);
    expect(Math.abs(fit.contextAt(35_000) - (3 + 30 * 1.00008))).toBeLessThan(0.0005);
  });

  it('is not moved by single late readings', () => {
    const clean = readings(20, 0.5, 0, 0.0001);
    const dirty = clean.map((p, i) => (i % 9 === 4 ? { ...p, context: p.context - 0.05 } : p));
    expect(Math.abs(fitClocks(dirty).contextAt(25_000) - fitClocks(clean).contextAt(25_000))).toBeLessThan(0.0003);
  });

  it('never believes more drift than clocks have', () => {
    expect(Math.abs(fitClocks(readings(20, 0.5, 5000, 0)).drift)).toBeLessThanOrEqual(500e-6);
  });

  it('is its own inverse', () => {
    const fit = fitClocks(readings(30, 0.5, 100, 0.001));
    expect(fit.performanceAt(fit.contextAt(12_345))).toBeCloseTo(12_345, 6);
  });
});
