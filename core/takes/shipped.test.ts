import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ship, unship } from './shipped';

const whole = (pieces: readonly Uint8Array[]) => Uint8Array.from(pieces.flatMap((piece) => [...piece]));
const songs = fc.record({
  title: fc.string({ unit: 'grapheme' }),
  layers: fc.array(fc.record({ id: fc.string(), packed: fc.uint8Array({ maxLength: 40 }) }), { maxLength: 5 }),
});

describe('a song that is shipped', () => {
  it('comes out as it went in, wherever its bytes lie', () => {
    fc.assert(
      fc.property(songs, fc.nat(7), (song, before) => {
        const bytes = whole([new Uint8Array(before), ...ship(song)]).subarray(before);
        expect(unship(bytes)).toEqual(song);
      }),
    );
  });

  it('is refused where it is cut short or something is behind it', () => {
    fc.assert(
      fc.property(songs, fc.nat(), (song, cut) => {
        const bytes = whole(ship(song));
        expect(() => unship(bytes.subarray(0, cut % bytes.length))).toThrow('damaged');
        expect(() => unship(whole([bytes, Uint8Array.of(0)]))).toThrow('damaged');
      }),
    );
  });
});
