import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { notes, ranges, reading } from '../testing/arbitraries';
import { meterMap } from '../time/meter';
import { inRange } from '../time/units';
import { GRIDS } from './grid';
import { ENDS, layTreatment, treat, treatNote, withoutTreatment, type Treatment } from './treatment';

const fourFour = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

const note = (start: number, end: number, key = 60) => ({
  id: `${key}-${start}`,
  key,
  velocity: 80,
  release: 64,
  start,
  end,
});

const over = (rest: Partial<Treatment> = {}): Treatment => ({
  id: 't',
  from: 0,
  to: 100_000,
  grid: '16 straight',
  strength: 1,
  ends: 'keep length',
  ...rest,
});

describe('a treatment', () => {
  it('pulls a start part of the way to its line', () => {
    expect(treatNote(note(980, 1200), over({ strength: 0.5 }), fourFour).start).toBe(970);
  });

  it.each([
    ['keep length', 1180],
    ['keep end', 1200],
    ['snap length', 1200],
    ['snap end', 1200],
  ] as const)('with "%s" ends at %d', (ends, end) => {
    expect(treatNote(note(980, 1200), over({ ends }), fourFour)).toMatchObject({ start: 960, end });
  });

  it('keeps what was played underneath', () => {
    const treated = treat(reading([note(980, 1200)]), [over()], fourFour).notes[0]!;
    expect(treated.played).toMatchObject({ start: 980, end: 1200 });
  });

  it('of no strength changes nothing, to the bit', () => {
    fc.assert(
      fc.property(notes, fc.constantFrom(...ENDS), (all, ends) => {
        const treated = treat(reading(all), [over({ strength: 0, ends })], fourFour);
        treated.notes.forEach((n) => expect([n.start, n.end]).toEqual([n.played.start, n.played.end]));
      }),
    );
  });

  it('of full strength, twice over, is the same as once', () => {
    fc.assert(
      fc.property(notes, fc.constantFrom(...GRIDS), (all, grid) => {
        const once = treat(reading(all), [over({ grid })], fourFour).notes;
        const twice = treat(reading([...once]), [over({ grid })], fourFour).notes;
        expect(twice.map((n) => n.start)).toEqual(once.map((n) => n.start));
      }),
    );
  });

  it('moves nothing that was played outside its stretch, and loses no note', () => {
    fc.assert(
      fc.property(notes, ranges(), fc.constantFrom(...ENDS), (all, range, ends) => {
        const treated = treat(reading(all), [over({ ...range, ends })], fourFour).notes;
        expect(treated.map((n) => n.id).sort()).toEqual(all.map((n) => n.id).sort());
        treated.filter((n) => !inRange(n.played.start, range)).forEach((n) => expect(n.start).toBe(n.played.start));
        treated.forEach((n) => expect(n.end).toBeGreaterThan(n.start - 1e-9));
      }),
    );
  });

  it('makes no new overlap on a key', () => {
    const both = treat(
      reading([note(0, 950), note(960, 1900)].map((n, i) => (i ? { ...n, start: 1070 } : { ...n, end: 1069 }))),
      [over({ ends: 'snap length', grid: '4 straight' })],
      fourFour,
    );
    expect(both.notes[0]!.end).toBeLessThanOrEqual(both.notes[1]!.start);
  });

  it('is one to a stretch, in one place', () => {
    fc.assert(
      fc.property(
        fc.array(ranges(3000), { maxLength: 8 }),
        ranges(3000),
        fc.integer({ min: 0, max: 6000 }),
        (rows, off, tick) => {
          const all = rows.reduce<Treatment[]>(
            (list, range, i) => layTreatment(list, over({ ...range, id: `t${i}` })),
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
});
