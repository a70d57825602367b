import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { barStart, meterMap } from '../time/meter';
import { typedBars, typedPlace } from './typedBars';

const meter = meterMap([
  { bar: 1, beats: 4, unit: 4 },
  { bar: 9, beats: 3, unit: 4 },
]);
const BARS = 16;
const BEAT = 960;
const bars = (from: number, to: number) => ({ from: barStart(meter, from), to: barStart(meter, to + 1) });

describe('bars that are typed', () => {
  it.each([
    ['9 10', bars(9, 10)],
    ['9-10', bars(9, 10)],
    [' 9 – 10 ', bars(9, 10)],
    ['3', bars(3, 3)],
    ['16', bars(16, 16)],
    ['2.3 3.2', { from: barStart(meter, 2) + 2 * BEAT, to: barStart(meter, 3) + BEAT }],
  ])('%j', (text, range) => {
    expect(typedBars(meter, BARS, text)).toEqual(range);
  });

  it.each(['', '0', '17', '10 9', '9 20', '9.4 10', '1.0 2', 'nine', '9 10 11', '9,10'])('%j says none', (text) => {
    expect(typedBars(meter, BARS, text)).toBeNull();
  });

  it('are those that were meant, whatever they are', () => {
    const pair = fc.tuple(fc.integer({ min: 1, max: BARS }), fc.integer({ min: 1, max: BARS }));
    fc.assert(
      fc.property(pair, fc.constantFrom(' ', '-', '–', ' - '), ([a, b], between) => {
        expect(typedBars(meter, BARS, `${a}${between}${b}`)).toEqual(a <= b ? bars(a, b) : null);
      }),
    );
  });

  it('alone are a start as an in, and an end as an out', () => {
    expect(typedPlace(meter, BARS, 'from', '9')).toBe(barStart(meter, 9));
    expect(typedPlace(meter, BARS, 'to', '9')).toBe(barStart(meter, 10));
    expect(typedPlace(meter, BARS, 'to', '9:2')).toBe(barStart(meter, 9) + BEAT);
  });
});
