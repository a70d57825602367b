import { expect, it } from 'vitest';
import { meterMap } from '../time/meter';
import { treatedWords } from './words';
import type { Treatment } from './treatments';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

it('what is treated in a range says bars, whose, how much and to what', () => {
  const treatment: Treatment = {
    id: 't',
    from: 0,
    to: 15_360,
    grid: '16 straight',
    strength: 0.5,
    ends: 'keep length',
    layers: ['a', 'b'],
  };
  expect(treatedWords([treatment], { from: 3840, to: 7680 }, meter)).toBe(
    'bar 2 what 2 passes brought 50% to sixteenths',
  );
  expect(treatedWords([treatment], { from: 19_200, to: 23_040 }, meter)).toBe('');
});
