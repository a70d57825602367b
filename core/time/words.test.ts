import { expect, it } from 'vitest';
import { meterMap } from './meter';
import { barsWords, rangeWords } from './words';

const meter = meterMap([
  { bar: 1, beats: 4, unit: 4 },
  { bar: 3, beats: 3, unit: 4 },
]);

it('a range says its bars where it goes from bar line to bar line, and its beats where it does not', () => {
  expect(rangeWords({ from: 0, to: 3840 }, meter)).toBe('bar 1');
  expect(rangeWords({ from: 3840, to: 7680 + 2880 }, meter)).toBe('bars 2–3');
  expect(rangeWords({ from: 960, to: 3840 }, meter)).toBe('1 · 2 to 2 · 1');
});

it('the bars of a take go outward to whole bars', () => {
  expect(barsWords({ from: 960, to: 3840 }, meter)).toBe('bar 1');
  expect(barsWords({ from: 3839, to: 7681 }, meter)).toBe('bars 1–3');
});
