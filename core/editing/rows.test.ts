import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import { newSong } from '../document/document';
import { keyName } from '../performance/messages';
import { placeWords, readKey, readPlace } from './rows';

const maps = mapsOf({
  ...newSong('x', 'p'),
  meter: [
    { bar: 1, beats: 4, unit: 4 },
    { bar: 5, beats: 7, unit: 8 },
  ],
});

describe('places as they are typed', () => {
  it('are read as they are said', () => {
    fc.assert(
      fc.property(fc.integer({ min: -3000, max: 200_000 }), (at) => {
        expect(readPlace(placeWords(at, 'bars', maps), 'bars', maps)).toBe(at);
        expect(readPlace(placeWords(at, 'ms', maps), 'ms', maps)).toBeCloseTo(at, 0);
      }),
    );
    expect(placeWords(3840 * 4 + 480, 'bars', maps)).toBe('5·2·000');
  });

  it('may have any sign between, and leave out what is nought', () => {
    for (const text of ['3.2.10', '3:2:10', '3 2 10', ' 3·2·10 '])
      expect(readPlace(text, 'bars', maps)).toBe(2 * 3840 + 970);
    expect(readPlace('3', 'bars', maps)).toBe(2 * 3840);
    for (const text of ['', 'x', '3.0.1', '1.2.3.4', '3.x']) expect(readPlace(text, 'bars', maps)).toBeUndefined();
  });
});

it('a key is read by its name or its number', () => {
  for (let key = 0; key < 128; key += 1) expect(readKey(keyName(key))).toBe(key);
  expect(readKey('Eb4')).toBe(63);
  expect(readKey('f#3')).toBe(54);
  expect(readKey('60')).toBe(60);
  for (const text of ['H4', '', '128', 'C99']) expect(readKey(text)).toBeUndefined();
});
