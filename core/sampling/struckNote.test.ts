import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { gainFromDecibels } from '../time/units';
import { fromOnset, levelOf, onsetOf, smoothed, type Sides } from './struckNote';

const RATE = 48_000;
/** A string that is struck after so many seconds of key noise 40 dB below it. */
const struck = (after: number, level = 0): Sides => {
  const side = Float32Array.from({ length: RATE }, (_, i) => {
    const t = i / RATE - after;
    const noise = 0.005 * Math.sin(i * 1.7);
    return gainFromDecibels(level) * (t < 0 ? noise : Math.exp(-3 * t) * Math.sin(2 * Math.PI * 440 * t) * 0.5);
  });
  return [side, side];
};

describe('a struck note', () => {
  it('begins where the hammer notes, and is cut half a millisecond before', () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 0.15, noNaN: true }), (after) => {
        const note = struck(after);
        expect(Math.abs(onsetOf(note, RATE) / RATE - after) * 1000).toBeLessThan(0.2);
        expect((onsetOf(fromOnset(note, RATE), RATE) / RATE) * 1000).toBeLessThan(0.7);
      }),
    );
  });

  it('is as loud as it was struck, wherever it lies in its recording', () => {
    const [soft, loud] = [fromOnset(struck(0.1, -20), RATE), fromOnset(struck(0.02), RATE)];
    expect(levelOf(loud, RATE) - levelOf(soft, RATE)).toBeCloseTo(20, 1);
  });
});

describe('a value over keys', () => {
  it('stays a straight line, and loses its ups and downs', () => {
    const keys = Array.from({ length: 30 }, (_, i) => 21 + 3 * i);
    const line = (key: number) => 4 - key / 7;
    const uneven = keys.map((key, i) => line(key) + (i % 2 ? 2 : -2));
    for (const key of [21, 40, 64.5, 108]) {
      expect(smoothed(keys, keys.map(line), 7, key)).toBeCloseTo(line(key), 6);
      expect(Math.abs(smoothed(keys, uneven, 7, key) - line(key))).toBeLessThan(1);
    }
  });
});
