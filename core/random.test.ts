import { expect, it } from 'vitest';
import { seeded } from './random';

it('the same seed gives the same numbers, within their ranges', () => {
  const [a, b] = [seeded(7), seeded(7)];
  for (let i = 0; i < 1000; i += 1) {
    expect(a.unit()).toBe(b.unit());
    expect(a.normal(2)).toBe(b.normal(2));
    const n = a.integer(-3, 5);
    expect(n).toBe(b.integer(-3, 5));
    expect(n >= -3 && n <= 5 && Math.abs(a.normal(1)) <= 3 && a.unit() < 1).toBe(true);
    b.normal(1);
    b.unit();
  }
});
