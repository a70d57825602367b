import { describe, expect, it } from 'vitest';
import { keyLayout } from './pianoKeys';

describe('keys of a piano', () => {
  it('lie beside each other: white ones share the whole, black ones lie over where two meet', () => {
    const keys = keyLayout(60, 72);
    const whites = keys.filter((k) => !k.black);
    expect(keys.map((k) => k.key)).toEqual([60, 61, 62, 63, 64, 65, 66, 67, 68, 69, 70, 71, 72]);
    expect(whites.map((k) => Number.parseFloat(k.style.left))).toEqual(whites.map((_, i) => (i * 100) / 8));
    const black = keys[1]!;
    const [left, width] = [Number.parseFloat(black.style.left), Number.parseFloat(black.style.width)];
    expect(left).toBeLessThan(12.5);
    expect(left + width).toBeGreaterThan(12.5);
  });

  it('are 52 white and 36 black on a whole one', () => {
    const keys = keyLayout(21, 108);
    expect([keys.filter((k) => !k.black).length, keys.filter((k) => k.black).length]).toEqual([52, 36]);
  });
});
