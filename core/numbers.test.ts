import fc from 'fast-check';
import { expect, it } from 'vitest';
import { clamp, firstAtOrAfter, lastAtOrBefore, median } from './numbers';

const places = fc.array(fc.integer({ min: 0, max: 50 }), { minLength: 1 });
const place = fc.integer({ min: -5, max: 55 });

it('the last at or before a value is found, or the first when none is; the first at or after, or the length', () => {
  fc.assert(
    fc.property(places, place, (given, value) => {
      const items = [...given].sort((x, y) => x - y).map((of, index) => ({ of, index }));
      const last = items.findLast((item) => item.of <= value) ?? items[0];
      expect(lastAtOrBefore(items, value, (item) => item.of)).toBe(last);
      const first = items.findIndex((item) => item.of >= value);
      expect(firstAtOrAfter(items, value, (item) => item.of)).toBe(first < 0 ? items.length : first);
    }),
  );
});

it('the median has as many values below it as above, and one value far off does not move it', () => {
  fc.assert(
    fc.property(places, (values) => {
      const middle = median(values);
      const below = values.filter((v) => v < middle).length;
      const above = values.filter((v) => v > middle).length;
      expect(Math.max(below, above)).toBeLessThanOrEqual(values.length / 2);
    }),
  );
  expect([median([]), median([1, 4]), median([3, 1, 1e9])]).toEqual([0, 2.5, 3]);
});

it('a value is held between two others', () => {
  expect([clamp(5, 1, 3), clamp(-5, 1, 3), clamp(2, 1, 3)]).toEqual([3, 1, 2]);
});
