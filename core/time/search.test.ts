import fc from 'fast-check';
import { expect, it } from 'vitest';
import { lastAtOrBefore } from './search';

it('the last at or before a value is found, or the first when none is', () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: 0, max: 50 }), { minLength: 1 }),
      fc.integer({ min: -5, max: 55 }),
      (a, v) => {
        const items = [...a].sort((x, y) => x - y).map((of, index) => ({ of, index }));
        const plain = items.findLast((item) => item.of <= v) ?? items[0];
        expect(lastAtOrBefore(items, v, (item) => item.of)).toBe(plain);
      },
    ),
  );
});
