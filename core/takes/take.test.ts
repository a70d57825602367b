import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layers, notes, ranges, reading } from '../testing/arbitraries';
import { valuesBefore } from '../performance/controls';
import { inRange } from '../time/units';
import type { Reading } from '../performance/notes';
import { type Layer } from './layer';
import { clear, readTake } from './take';
import { HEARD, layerFrom as layer, on, off, sustain, starts, sustainAt } from '../testing/layers';

describe('a take', () => {
  const below = layer([sustain(0, 127), on(0), off(2.5), on(3), off(4), on(5), off(6), sustain(6, 0)], 0, 8, {
    id: 'below',
  });

  it('merges: old and new sound together', () => {
    const above = layer([on(1, 72), off(2, 72)], 0, 8, { id: 'above' });
    expect(starts(readTake([below, above], HEARD))).toEqual([
      [60, 0, 2.5],
      [72, 1, 2],
      [60, 3, 4],
      [60, 5, 6],
    ]);
  });

  it('replaces: what starts in the range goes, what rings into it is cut', () => {
    const above = layer([on(2, 72), off(3, 72)], 2, 4, { id: 'above' }, [{ from: 2 * 960, to: 4 * 960 }]);
    expect(starts(readTake([below, above], HEARD))).toEqual([
      [60, 0, 2],
      [72, 2, 3],
      [60, 5, 6],
    ]);
  });

  it('gives controllers back after a replaced range as if there had been no pass', () => {
    const above = layer([on(2, 72), sustain(2.5, 127), off(3, 72)], 2, 4, { id: 'above' }, [
      { from: 2 * 960, to: 4 * 960 },
    ]);
    const r = readTake([below, above], HEARD);
    expect([1.9, 2.6, 4, 5.9, 6].map((q) => sustainAt(r, q * 960))).toEqual([127, 127, 127, 127, 0]);
  });

  it('is silent in a range that was replaced with nothing', () => {
    fc.assert(
      fc.property(layers('below'), ranges(), (under, range) => {
        const empty: Layer = { header: header({ id: 'above' }), events: [], closing: { range, clears: [range] } };
        expect(readTake([under, empty], HEARD).notes.filter((n) => inRange(n.start, range))).toEqual([]);
      }),
    );
  });

  it('changes nothing outside the range, whatever is laid on it', () => {
    fc.assert(
      fc.property(layers('below'), layers('above'), (under, over) => {
        const { range } = over.closing;
        const outside = (r: Reading) =>
          r.notes.filter((n) => (n.start < range.from && n.end <= range.from) || n.start >= range.to);
        const before = readTake([under], HEARD);
        const after = readTake([under, over], HEARD);
        const untouched = new Set(outside(before).map((n) => n.id));
        expect(outside(after).filter((n) => untouched.has(n.id))).toEqual(outside(before));
        // Every controller sounds before and after the range as it would have without the pass.
        for (const tick of [range.from - 1, range.to + 1, range.to + 3000]) {
          const values = (r: Reading) =>
            ['control 1', 'control 11', 'control 64', 'bend'].map(
              (lane, i) => valuesBefore(r.controls, tick).get(lane)?.value ?? [0, 127, 0, 8192][i],
            );
          expect(values(after)).toEqual(values(before));
        }
      }),
    );
  });

  it('ends every note inside its range, and leaves no pedal down', () => {
    fc.assert(
      fc.property(layers('one'), (one) => {
        const r = readTake([one], HEARD);
        expect(r.notes.every((n) => n.end <= one.closing.range.to && n.end >= n.start)).toBe(true);
        expect(sustainAt(r, one.closing.range.to)).toBe(0);
      }),
    );
  });

  it('cleared of nothing is itself', () => {
    fc.assert(
      fc.property(notes, (all) => {
        expect(clear(reading(all), [{ from: 50, to: 50 }])).toEqual(reading(all));
      }),
    );
  });
});
