import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { meterChanges } from '../testing/arbitraries';
import { accentOf, barAt, barStart, beatsBetween, meterMap, positionAt, tickOf } from './meter';

const fourFour = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

describe('a meter map', () => {
  it('starts bar 1 on tick 0', () => {
    expect(positionAt(fourFour, 0)).toEqual({ bar: 1, beat: 1, tick: 0 });
    expect(positionAt(fourFour, 3840 + 960 + 5)).toEqual({ bar: 2, beat: 2, tick: 5 });
  });

  it('goes on before bar 1', () => {
    expect(positionAt(fourFour, -960)).toEqual({ bar: 0, beat: 4, tick: 0 });
    expect(barStart(fourFour, -1)).toBe(-7680);
  });

  it('changes meter at a bar line', () => {
    const map = meterMap([
      { bar: 1, beats: 4, unit: 4 },
      { bar: 3, beats: 6, unit: 8 },
    ]);
    expect(barStart(map, 4)).toBe(7680 + 2880);
    expect(positionAt(map, 7680 + 480 * 4)).toEqual({ bar: 3, beat: 5, tick: 0 });
  });

  it('stresses six-eight in two', () => {
    expect([1, 2, 3, 4, 5, 6].map((b) => accentOf({ bar: 1, beats: 6, unit: 8 }, b))).toEqual([
      'bar',
      'beat',
      'beat',
      'group',
      'beat',
      'beat',
    ]);
    expect(accentOf({ bar: 1, beats: 3, unit: 8 }, 2)).toBe('beat');
  });

  it('finds the beats of a range, its end left out', () => {
    expect(beatsBetween(fourFour, -960, 1920).map((b) => b.tick)).toEqual([-960, 0, 960]);
  });

  it('refuses meters that make no bars', () => {
    expect(() => meterMap([])).toThrow(RangeError);
    expect(() => meterMap([{ bar: 2, beats: 4, unit: 4 }])).toThrow(RangeError);
    expect(() => meterMap([{ bar: 1, beats: 4, unit: 3 }])).toThrow(RangeError);
    expect(() =>
      meterMap([
        { bar: 1, beats: 4, unit: 4 },
        { bar: 1, beats: 3, unit: 4 },
      ]),
    ).toThrow(RangeError);
  });

  it('says each place in one way, before bar 1 too', () => {
    fc.assert(
      fc.property(meterChanges, fc.integer({ min: -20_000, max: 300_000 }), (changes, tick) => {
        const map = meterMap(changes);
        const position = positionAt(map, tick);
        expect(tickOf(map, position)).toBe(tick);
        expect(barAt(map, barStart(map, position.bar))).toBe(position.bar);
      }),
    );
  });
});
