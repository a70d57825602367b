import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ranges } from '../testing/arbitraries';
import { inRange } from '../time/units';
import { readLayer } from './layer';
import { pick, readComp, type Pick } from './line';
import { HEARD, layerFrom as layer, on, off, sustain, starts, sustainAt } from '../testing/layers';

describe('the comp', () => {
  const picks = fc.array(fc.record({ range: ranges(5000), takeId: fc.constantFrom('a', 'b', 'c') }), { maxLength: 12 });
  const at = (comp: readonly Pick[], tick: number) => comp.find((p) => inRange(tick, p))?.takeId;

  it('hears the last take picked for a place, and the earlier one elsewhere', () => {
    fc.assert(
      fc.property(picks, fc.integer({ min: 0, max: 10_000 }), (rows, tick) => {
        const comp = rows.reduce<Pick[]>((c, { range, takeId }) => pick(c, { ...range, takeId }), []);
        expect(at(comp, tick)).toBe(rows.findLast((r) => inRange(tick, r.range))?.takeId);
        comp.slice(1).forEach((p, i) => expect(p.from).toBeGreaterThanOrEqual(comp[i]!.to));
      }),
    );
  });

  const a = readLayer(layer([sustain(0, 127), on(0), off(6), on(7), off(8)], 0, 8, { id: 'a' }), HEARD);
  const b = readLayer(layer([on(4, 72), off(5, 72)], 0, 8, { id: 'b' }), HEARD);
  const takeOf = (id: string) => (id === 'a' ? a : b);

  it('cuts a note at the join and lifts the pedal for a take that has it up', () => {
    const line = readComp(
      [
        { from: 0, to: 4 * 960, takeId: 'a' },
        { from: 4 * 960, to: 8 * 960, takeId: 'b' },
      ],
      takeOf,
    );
    expect(starts(line)).toEqual([
      [60, 0, 4],
      [72, 4, 5],
    ]);
    expect([3.9, 4].map((q) => sustainAt(line, q * 960))).toEqual([127, 0]);
  });

  it('puts the pedal down where a picked range starts in the middle of it, and up where nothing follows', () => {
    const line = readComp([{ from: 6.5 * 960, to: 7.5 * 960, takeId: 'a' }], takeOf);
    expect([6.4, 6.5, 7.5].map((q) => sustainAt(line, q * 960))).toEqual([0, 127, 0]);
  });
});
