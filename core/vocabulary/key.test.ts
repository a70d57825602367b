import { expect, it } from 'vitest';
import { KEYS, fifthsBy, keyWords, semitoneWords, transposedKey } from './key';

it('a transposed key is the nearest with at most six accidentals, and comes back as itself', () => {
  const up = (fifths: number, by: number) => keyWords(transposedKey({ fifths, minor: false }, by));
  expect([1, 2, 3, 4, 5, 6, 7].map((by) => up(0, by))).toEqual([
    ...['D♭ major', 'D major', 'E♭ major', 'E major', 'F major', 'F♯ major', 'G major'],
  ]);
  expect(up(-5, 5)).toBe('G♭ major');
  expect(keyWords(transposedKey({ fifths: 0, minor: true }, 3))).toBe('C minor');
  for (const key of KEYS)
    for (let by = -12; by <= 12; by += 1) {
      const there = transposedKey(key, by);
      if (by !== 0) expect(Math.abs(there.fifths)).toBeLessThanOrEqual(6);
      // So many fifths up are so many semitones, but for octaves.
      expect((fifthsBy(by, key) * 7 - by) % 12 === 0).toBe(true);
      const back = transposedKey(there, -by);
      expect((back.fifths - key.fifths) % 12 === 0).toBe(true);
    }
});

it('semitones are said up and down', () => {
  expect([2, 1, 0, -3].map(semitoneWords)).toEqual([
    ...['2 semitones up', '1 semitone up', 'at its own pitch', '3 semitones down'],
  ]);
});
