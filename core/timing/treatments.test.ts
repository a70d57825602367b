import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { noteSet } from '../performance/noteSet';
import { ranges } from '../testing/arbitraries';
import { inRange } from '../time/units';
import { applyTreatment, treatmentOf, withoutTreatment, type Treatment } from './treatments';

const over = (rest: Partial<Treatment> = {}): Treatment => ({
  ...{ id: 't', from: 0, to: 100_000, grid: '16 straight', strength: 1, ends: 'keep length' },
  ...rest,
});
const note = (start: number, rest: { key?: number; id?: string; end?: number } = {}) => ({
  ...{ id: 'layer:0', key: 60, velocity: 80, release: 64, start, end: start + 400 },
  ...rest,
});

describe('a treatment', () => {
  it('is one to a range, in one place', () => {
    fc.assert(
      fc.property(
        fc.array(ranges(3000), { maxLength: 8 }),
        ranges(3000),
        fc.integer({ min: 0, max: 6000 }),
        (rows, off, tick) => {
          const all = rows.reduce<Treatment[]>(
            (list, range, i) => applyTreatment(list, over({ ...range, id: `t${i}` })),
            [],
          );
          const there = all.filter((t) => inRange(tick, t));
          expect(there.length).toBeLessThanOrEqual(1);
          const last = rows.findLastIndex((r) => inRange(tick, r));
          if (last >= 0) expect(there[0]!.id.split('@')[0]).toBe(`t${last}`);
          // However often they are cut, their ids stay short, and each is one of its own.
          expect(new Set(all.map((t) => t.id)).size).toBe(all.length);
          all.forEach((t) => expect(t.id.length).toBeLessThan(20));
          expect(withoutTreatment(all, off).some((t) => t.from < off.to && t.to > off.from)).toBe(false);
        },
      ),
    );
  });

  it('laid twice is laid once', () => {
    fc.assert(
      fc.property(ranges(3000), fc.constantFrom(undefined, { low: 0, high: 59 }), (range, keys) => {
        const one = applyTreatment([], over({ ...range, keys }));
        expect(applyTreatment(one, over({ ...range, keys }))).toEqual(one);
      }),
    );
  });

  it('of one hand lies beside the other hand, and before the one for all', () => {
    const left = over({ id: 'left', keys: { low: 0, high: 59 } });
    const right = over({ id: 'right', keys: { low: 60, high: 127 } });
    const all = applyTreatment(applyTreatment(applyTreatment([], over({ id: 'all' })), left), right);
    expect(all).toHaveLength(3);
    expect(treatmentOf(note(0, { key: 50 }), all)?.id).toBe('left');
    expect(treatmentOf(note(0, { key: 60 }), all)?.id).toBe('right');
    expect(applyTreatment(all, over({ id: 'again', keys: { low: 0, high: 59 } })).map((t) => t.id)).not.toContain(
      'left',
    );
  });

  it('of selected notes goes before all others', () => {
    const few = over({ id: 'few', notes: noteSet([{ id: 'layer:3' }]) });
    const all = applyTreatment([over({ keys: { low: 0, high: 127 } })], few);
    expect(treatmentOf(note(0, { id: 'layer:3' }), all)?.id).toBe('few');
    expect(treatmentOf(note(0, { id: 'layer:4' }), all)?.id).toBe('t');
  });

  it('moves a note just ahead of it that means its first beat, and none that means the beat after it', () => {
    const bar = over({ from: 3840, to: 7680 });
    expect(treatmentOf(note(3800), [bar])).toBe(bar);
    expect(treatmentOf(note(3800, { end: 3840 }), [bar])).toBeUndefined();
    expect(treatmentOf(note(7640), [bar])).toBeUndefined();
    // Between two ranges it has one treatment, not two.
    const next = over({ id: 'next', from: 7680, to: 11_520 });
    expect(treatmentOf(note(7640), [bar, next])).toBe(next);
  });
});
