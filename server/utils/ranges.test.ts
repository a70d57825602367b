import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rangeOf } from './ranges';

describe('a range of bytes', () => {
  it.each([
    [undefined, undefined],
    ['bytes=0-0', { start: 0, end: 0 }],
    ['bytes=10-', { start: 10, end: 99 }],
    ['bytes=10-1000', { start: 10, end: 99 }],
    ['bytes=-5', { start: 95, end: 99 }],
    ['bytes=-500', { start: 0, end: 99 }],
    ['bytes=-0', 'outside'],
    ['bytes=100-', 'outside'],
    ['bytes=9-8', undefined],
    ['bytes=0-1,4-5', undefined],
    ['bytes=-', undefined],
    ['lines=0-1', undefined],
  ])('%s of a hundred is %o', (header, range) => {
    expect(rangeOf(header, 100)).toEqual(range);
  });

  it('lies within the file, whatever was asked for', () => {
    fc.assert(
      fc.property(fc.nat(), fc.nat(), fc.nat(), (from, to, length) => {
        const range = rangeOf(`bytes=${from}-${to}`, length);
        if (range === undefined || range === 'outside') return;
        expect(range.start).toBe(from);
        expect(range.end).toBeGreaterThanOrEqual(range.start);
        expect(range.end).toBeLessThan(length);
      }),
    );
  });
});
