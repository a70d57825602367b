import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { barStart, meterMap } from '../time/meter';
import { semitonesInBar, transposedInBars, transposedRanges, transpositionOf } from '../document/transposition';
import { MOST_BARS } from '../vocabulary/limits';
import { transpositions } from '../testing/arbitraries';
import { between, keyBy, semitonesAt, semitonesOf, transposed } from './transposition';

const FOUR = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const bars = fc.tuple(fc.integer({ min: 1, max: 24 }), fc.integer({ min: 0, max: 12 })).map(([first, more]) => ({
  first,
  last: first + more,
}));

describe('a transposition', () => {
  it('is of the bars that it was set for, and leaves the others as they were', () => {
    fc.assert(
      fc.property(transpositions, bars, fc.integer({ min: -12, max: 12 }), (before, range, semitones) => {
        const after = transposedInBars(before, range, semitones);
        for (let bar = 1; bar <= 40; bar += 1) {
          const isInside = bar >= range.first && bar <= range.last;
          expect(semitonesInBar(after, bar)).toBe(isInside ? semitones : semitonesInBar(before, bar));
        }
        // In order, and nothing said twice.
        after.forEach((change, i) => {
          expect(change.bar).toBeGreaterThan(after[i - 1]?.bar ?? 0);
          expect(change.semitones).not.toBe(after[i - 1]?.semitones ?? 0);
        });
      }),
    );
  });

  it('is of a song however long it comes to be, set for all of its bars', () => {
    const whole = { first: 1, last: MOST_BARS };
    expect(transposedInBars([], whole, 2)).toEqual([{ bar: 1, semitones: 2 }]);
    expect(transposedInBars([{ bar: 9, semitones: 3 }], whole, 0)).toEqual([]);
  });

  it('is said range by range, of what is transposed alone', () => {
    fc.assert(
      fc.property(transpositions, (all) => {
        const said = transposedRanges(all, 20);
        for (let bar = 1; bar <= 20; bar += 1) {
          const of = said.filter((s) => s.first <= bar && bar <= s.last);
          expect(of.map((s) => s.semitones)).toEqual(semitonesInBar(all, bar) === 0 ? [] : [semitonesInBar(all, bar)]);
        }
      }),
    );
  });

  it('is above another by what it has more, everywhere', () => {
    fc.assert(
      fc.property(transpositions, transpositions, fc.integer({ min: 0, max: 90_000 }), (a, b, tick) => {
        const [from, to] = [transpositionOf(a, FOUR), transpositionOf(b, FOUR)];
        expect(semitonesAt(between(from, to), tick)).toBe(semitonesAt(to, tick) - semitonesAt(from, tick));
        expect(between(from, from)).toEqual([]);
      }),
    );
  });

  it('takes a note just ahead of a change along, and a note that ends there not', () => {
    const change = transpositionOf([{ bar: 3, semitones: 2 }], FOUR);
    const at = barStart(FOUR, 3);
    expect(semitonesOf(change, { start: at - 20, end: at + 400 })).toBe(2);
    expect(semitonesOf(change, { start: at - 100, end: at - 5 })).toBe(0);
    expect(semitonesOf(change, { start: at - 400, end: at + 900 })).toBe(0);
  });

  it('keeps a key’s name past the ends of what MIDI has', () => {
    for (let key = 0; key <= 127; key += 1)
      for (let by = -12; by <= 12; by += 1) {
        expect(keyBy(key, by)).toBeGreaterThanOrEqual(0);
        expect(keyBy(key, by)).toBeLessThanOrEqual(127);
        expect(Math.abs(keyBy(key, by) - key - by) % 12).toBe(0);
      }
  });

  it('moves the pressure of a key with the key, and no other controller', () => {
    const controls = [
      { at: 0, message: { type: 'keyPressure', key: 60, value: 9 } as const },
      { at: 0, message: { type: 'control', controller: 64, value: 60 } as const },
    ];
    expect(transposed({ notes: [], controls }, [{ tick: 0, semitones: 3 }]).controls.map((c) => c.message)).toEqual([
      { type: 'keyPressure', key: 63, value: 9 },
      { type: 'control', controller: 64, value: 60 },
    ]);
  });
});
