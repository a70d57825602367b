import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { notes } from '../testing/arbitraries';
import { clearsOf, phrases } from './clears';
import { MODES } from '../vocabulary/modes';

describe('what a mode clears', () => {
  const range = { from: 0, to: 10_000 };
  const note = (start: number, end: number) => ({ id: `${start}`, key: 60, velocity: 9, release: 0, start, end });

  it('follows the phrases, and a short gap does not end one', () => {
    expect(phrases([note(0, 400), note(1300, 1500), note(3000, 3100)], 960)).toEqual([
      { from: 0, to: 1500 },
      { from: 3000, to: 3100 },
    ]);
    expect(clearsOf('replace while I play', range, [note(100, 300)])).toEqual([{ from: 100, to: 300 }]);
    expect(clearsOf('replace from my first note', range, [note(100, 300)])).toEqual([{ from: 100, to: 10_000 }]);
    expect(clearsOf('replace', range, [])).toEqual([range]);
    expect(clearsOf('merge', range, [note(1, 2)])).toEqual([]);
  });

  it('is never more than replace would clear', () => {
    fc.assert(
      fc.property(fc.constantFrom(...MODES), notes, (mode, all) => {
        const recorded = { from: 0, to: 40_000 };
        clearsOf(mode, recorded, all).forEach((c) => {
          expect(c.from).toBeGreaterThanOrEqual(recorded.from);
          expect(c.to).toBeLessThanOrEqual(recorded.to);
        });
      }),
    );
  });
});
