import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { centsAt, hertzAt, offWords, tuningWords } from '../vocabulary/tuning';
import { findTuning, SURE } from './tuning';

const RATE = 22_050;
/** Chords of plain tones, a second each, with noise under them. */
function chords(cents: number, noise = 0.01, level = 0.1): Float32Array {
  const random = seeded(3);
  return Float32Array.from({ length: RATE * 8 }, (_, i) => {
    const root = 57 + [0, 5, 7, 2][Math.floor(i / RATE) % 4]!;
    const tone = (key: number) => Math.sin((2 * Math.PI * i * 440 * 2 ** ((key - 69 + cents / 100) / 12)) / RATE);
    return level * (tone(root) + tone(root + 4) + tone(root + 7)) + noise * (2 * random.unit() - 1);
  });
}

describe('the tuning of a recording', () => {
  it.each([-49, -31.5, -12, 0, 7.3, 20, 44])('of %d cents is found within one', (cents) => {
    const found = findTuning({ samples: chords(cents), rate: RATE });
    expect(found.cents).toBeCloseTo(cents, 0);
    expect(found.sure).toBeGreaterThan(0.8);
  });

  it('is not known of noise, of silence and of what is too short', () => {
    expect(findTuning({ samples: chords(0, 0.2, 0), rate: RATE }).sure).toBeLessThan(SURE);
    expect(findTuning({ samples: new Float32Array(RATE), rate: RATE }).sure).toBe(0);
    expect(findTuning({ samples: new Float32Array(10), rate: RATE }).sure).toBe(0);
  });

  it('is an A’s frequency, and back', () => {
    expect(hertzAt(0)).toBe(440);
    expect(hertzAt(100)).toBeCloseTo(466.16, 2);
    expect(centsAt(442)).toBeCloseTo(7.85, 2);
    expect(centsAt(hertzAt(-31.4))).toBeCloseTo(-31.4, 9);
    expect(tuningWords(20)).toBe('A 445.1 Hz, 20 cents sharp');
    expect([offWords(-1), offWords(0.04)]).toEqual(['1 cent flat', 'in tune with 440 Hz']);
  });
});
