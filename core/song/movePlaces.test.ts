import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { partSchema, newPart } from '../document/part';
import { newTake, takeSchema } from '../document/take';
import { movePlaces, PART_PLACES, TAKE_PLACES } from './movePlaces';

describe('everything in a part that names a place', () => {
  it('is told field by field, so that none is forgotten', () => {
    expect(Object.keys(PART_PLACES).sort()).toEqual(Object.keys(partSchema.unwrap().shape).sort());
    expect(Object.keys(TAKE_PLACES).sort()).toEqual(Object.keys(takeSchema.unwrap().shape).sort());
  });

  it('goes along: picks, lanes, joins, treatments and decisions still meet where they met', () => {
    fc.assert(
      fc.property(fc.integer({ min: 100, max: 9000 }), fc.integer({ min: 50, max: 200 }), (at, percent) => {
        const join = { at, before: 'a', after: 'b', held: 'ring', lift: false, drop: [], keep: [], passed: null };
        const part = {
          ...newPart({ id: 'p', name: 'Piano' }, 0),
          takes: [
            newTake({
              id: 'a',
              number: 1,
              layers: ['l'],
              from: 0,
              to: at,
              placement: { policy: 'heard', nudge: 0 },
              at: '',
            }),
          ],
          comp: [
            { from: 0, to: at, takeId: 'a' },
            { from: at, to: 10_000, takeId: 'b' },
          ],
          lanes: [{ from: at, to: 10_000, takeId: 'a', lane: null }],
          joins: [join],
          treatments: [{ id: 't', from: 0, to: at, grid: '16 straight', strength: 1, ends: 'keep length' }],
          decided: { 'l:0': at, 'l:1': 'played' },
        } as never as Parameters<typeof movePlaces>[0];
        movePlaces(part, (tick) => (tick * percent) / 100);
        const moved = Math.round((at * percent) / 100);
        expect(part.comp.map((c) => c.from)).toEqual([0, moved]);
        expect(part.lanes[0]!.from).toBe(moved);
        expect(part.joins[0]!.at).toBe(moved);
        expect(part.treatments[0]!.to).toBe(moved);
        expect(part.decided).toEqual({ 'l:0': moved, 'l:1': 'played' });
        expect(part.takes[0]!.to).toBe(moved);
      }),
    );
  });
});
