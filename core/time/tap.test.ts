import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { tappedPulse } from './tap';
import { real } from '../testing/realNumbers';

const taps = (bpm: number, count: number) => Array.from({ length: count }, (_, i) => 3 + (i * 60) / bpm);

describe('a tapped pulse', () => {
  it('is what steady taps say', () => {
    const pulse = tappedPulse(taps(96, 8))!;
    expect(pulse.bpm).toBeCloseTo(96, 9);
    expect(pulse.start).toBeCloseTo(3, 9);
    expect(pulse.taps).toHaveLength(8);
  });

  it('needs two taps', () => {
    expect(tappedPulse([])).toBeUndefined();
    expect(tappedPulse([1])).toBeUndefined();
    expect(tappedPulse([1, 1])).toBeUndefined();
    expect(tappedPulse([1, 1.5])!.bpm).toBeCloseTo(120, 9);
  });

  it('survives missed taps, wherever they are', () => {
    fc.assert(
      fc.property(real(45, 210), fc.uniqueArray(fc.integer({ min: 1, max: 10 }), { maxLength: 3 }), (bpm, missed) => {
        const heard = taps(bpm, 12).filter((_, i) => !missed.includes(i));
        expect(tappedPulse(heard)!.bpm).toBeCloseTo(bpm, 6);
      }),
    );
  });

  it('leaves out a double tap and a slip', () => {
    const times = taps(120, 8);
    const pulse = tappedPulse([...times, times[3]! + 0.08, times[5]! + 0.2].sort((a, b) => a - b))!;
    expect(pulse.bpm).toBeCloseTo(120, 6);
    expect(pulse.taps).toHaveLength(8);
  });

  it('averages loose taps instead of trusting the last', () => {
    const random = seeded(4);
    const off = Array.from({ length: 200 }, () => {
      const pulse = tappedPulse(taps(120, 16).map((t) => t + random.normal(0.015)))!;
      return Math.abs(pulse.bpm - 120) / 120;
    });
    expect(Math.max(...off)).toBeLessThan(0.008);
  });
});
