import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { meterChanges } from '../testing/arbitraries';
import { meterMap } from '../time/meter';
import { GRIDS, gridStep, gridWords, nearestGridPoint } from './grid';

describe('a grid', () => {
  it('has lines as far apart as its notes are long', () => {
    expect((['4 straight', '8 triplet', '16 dotted', '16 quintuplet', '64 straight'] as const).map(gridStep)).toEqual([
      960, 320, 360, 192, 60,
    ]);
  });

  it('says its name as players do', () => {
    expect((['16 straight', '8 triplet', '4 dotted'] as const).map(gridWords)).toEqual([
      'sixteenths',
      'eighth triplets',
      'dotted quarters',
    ]);
  });

  it('starts anew at each bar line', () => {
    const threeFour = meterMap([{ bar: 1, beats: 3, unit: 4 }]);
    expect(nearestGridPoint('4 dotted', threeFour, 2850)).toBe(2880);
    const fiveEight = meterMap([{ bar: 1, beats: 5, unit: 8 }]);
    expect(nearestGridPoint('4 straight', fiveEight, 2390)).toBe(2400);
    expect(nearestGridPoint('4 straight', fiveEight, 2000)).toBe(1920);
  });

  it('gives a line no further away than half a step', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...GRIDS),
        meterChanges,
        fc.integer({ min: -5000, max: 200_000 }),
        (grid, meter, tick) => {
          expect(Math.abs(nearestGridPoint(grid, meterMap(meter), tick) - tick)).toBeLessThanOrEqual(
            gridStep(grid) / 2 + 1e-6,
          );
        },
      ),
    );
  });
});
