import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { slowDrift } from './drift';
import { real } from '../testing/realNumbers';

const worlds = Number(process.env.WORLDS ?? 100);

describe('the slow drift of a hand', () => {
  it('of one that is off by the same everywhere is just that, whatever its rests', () => {
    fc.assert(
      fc.property(fc.array(real(0, 4000), { minLength: 1, maxLength: 60 }), real(-0.2, 0.2), (gaps, by) => {
        let sum = 0;
        const at = Float64Array.from(gaps, (g) => (sum += g));
        const drift = slowDrift(
          at,
          at.map(() => by),
          gaps.map((_, i) => i % 16),
        );
        for (const d of drift) expect(d).toBeCloseTo(by, 9);
      }),
      { numRuns: worlds },
    );
  });

  it('is a number for any notes, and never further than they are', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(real(0, 900), real(-0.3, 0.3)), {
          ...{ minLength: 1, maxLength: 80 },
        }),
        (played) => {
          let sum = 0;
          const at = Float64Array.from(played, ([gap]) => (sum += gap));
          const off = Float64Array.from(played, ([, o]) => o);
          for (const d of slowDrift(
            at,
            off,
            played.map((_, i) => i % 8),
          ))
            expect(Math.abs(d)).toBeLessThan(1);
        },
      ),
      { numRuns: worlds },
    );
  });

  it('is found under chance and leans to a few milliseconds', () => {
    const random = seeded(4);
    const at = Float64Array.from({ length: 600 }, (_, i) => i * 0.2);
    const lean = Array.from({ length: 16 }, () => random.normal(0.006));
    const slow = (t: number) => 0.03 * Math.sin((2 * Math.PI * t) / 12) + 0.02 * Math.sin((2 * Math.PI * t) / 31);
    const off = at.map((t, i) => slow(t) + lean[i % 16]! + random.normal(0.012));
    const found = slowDrift(
      at,
      off,
      Array.from(at, (_, i) => i % 16),
    );
    const worst = Math.sqrt(found.reduce((s, d, i) => s + (d - slow(at[i]!)) ** 2, 0) / at.length);
    expect(worst).toBeLessThan(0.004);
  });

  it('is found where a hand that is steady otherwise rushes through fills', () => {
    const random = seeded(9);
    const at = Float64Array.from({ length: 600 }, (_, i) => i * 0.2);
    // From the twelfth second of sixteen on it rushes, ever more, and falls back within one.
    const slow = at.map((t) => -0.05 * Math.max(0, Math.min(((t % 16) - 12) / 2, 1, (16 - (t % 16)) / 1)));
    const off = slow.map((s) => s + random.normal(0.012));
    const found = slowDrift(
      at,
      off,
      Array.from(at, (_, i) => i % 16),
    );
    const rms = (of: Float64Array) => Math.sqrt(of.reduce((s, x) => s + x * x, 0) / of.length);
    expect(rms(found.map((d, i) => d - slow[i]!))).toBeLessThan(0.35 * rms(slow));
  });

  /** A hand under looseness, and how much of its drift is left, as a share of what there was. */
  const leftOf = (slow: (t: number) => number, loose: number, count = 400, apart = 0.25): number => {
    const random = seeded(31);
    const at = Float64Array.from({ length: count }, (_, i) => i * apart);
    const off = at.map((t) => slow(t) + random.normal(loose));
    const found = slowDrift(
      at,
      off,
      Array.from(at, (_, i) => i % 16),
    );
    const rms = (of: Float64Array) => Math.sqrt(of.reduce((s, x) => s + x * x, 0) / of.length);
    return rms(found.map((d, i) => d - slow(at[i]!))) / Math.max(0.001, rms(at.map(slow)));
  };

  it.each([
    [0.01, 0.16],
    [0.02, 0.25],
  ])('is a change of level where it steps, and not smeared over seconds: %d s of looseness', (loose, most) => {
    expect(leftOf((t) => (t < 47 ? 0 : 0.03), loose)).toBeLessThan(most);
    expect(leftOf((t) => (Math.floor(t / 30) % 2 ? 0.015 : -0.02), loose)).toBeLessThan(most);
  });

  it('is none where few notes cannot tell it from looseness', () => {
    for (const count of [6, 12, 24]) expect(leftOf(() => 0, 0.02, count, 1.5)).toBeLessThan(15);
    const random = seeded(77);
    const at = Float64Array.from({ length: 40 }, (_, i) => i * 1.5);
    const off = at.map(() => random.normal(0.02));
    const found = slowDrift(
      at,
      off,
      Array.from(at, (_, i) => i % 4),
    );
    for (const d of found) expect(d).toBeCloseTo(found[0]!, 9);
  });

  it('is surer of a chord than of a note by itself', () => {
    const random = seeded(12);
    const at = Float64Array.from({ length: 400 }, (_, i) => i * 0.25);
    const counts = Array.from(at, (_, i) => (i % 2 ? 1 : 4));
    const slow = at.map((t) => 0.03 * Math.sin((2 * Math.PI * t) / 14));
    const off = slow.map((s, i) => s + random.normal(0.014) + random.normal(0.014) / Math.sqrt(counts[i]!));
    const wrong = (of: Float64Array) => Math.sqrt(of.reduce((s, d, i) => s + (d - slow[i]!) ** 2, 0) / of.length);
    const place = Array.from(at, () => 0);
    expect(wrong(slowDrift(at, off, place, counts))).toBeLessThan(wrong(slowDrift(at, off, place)));
  });
});
