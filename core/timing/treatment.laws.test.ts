import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Note } from '../performance/notes';
import { notes, ranges, reading } from '../testing/arbitraries';
import { clocks, music, recipes } from '../testing/treated';
import { meterMap } from '../time/meter';
import { secondsAt, tempoMap } from '../time/tempo';
import { feelOf } from './feel';
import { GRIDS } from './grid';
import type { Clock } from './lattice';
import { applyTreatment, treatmentOf, withoutTreatment, type Treatment } from './treatments';
import { linedUp } from './unitLines';
import type { Recipe } from './recipe';
import { SHORTEST, treat, type TreatedNote } from './treatment';
import { real } from '../testing/realNumbers';

const worlds = Number(process.env.WORLDS ?? 100);

const over = (recipe: Recipe, rest: Partial<Treatment> = {}): Treatment => ({
  ...{ id: 't', from: 0, to: 100_000 },
  ...recipe,
  ...rest,
});
const byId = (all: readonly TreatedNote[]) => new Map(all.map((n) => [n.id, n]));
const same = (a: Note, b: Note) => [a.start, a.end, a.velocity].every((x, i) => x === [b.start, b.end, b.velocity][i]);

describe('a recipe, whatever it says,', () => {
  const law = (check: (world: { notes: readonly Note[]; clock: Clock; recipe: Recipe; range: Treatment }) => void) =>
    fc.assert(
      fc.property(music, recipes, ranges(6000), ({ notes: all, clock }, recipe, range) =>
        check({ notes: all, clock, recipe, range: over(recipe, range) }),
      ),
      { numRuns: worlds },
    );

  it('with no strength and all else neutral is the identity, and taken off brings back what was played', () => {
    law(({ notes: all, clock, recipe, range }) => {
      const { grid, lines, chord } = recipe;
      const neutral: Treatment = { ...range, grid, lines, chord, ends: 'snap length', strength: 0 };
      const plain = { id: 't', from: range.from, to: range.to, grid, lines, chord };
      for (const t of [{ ...plain, ends: 'keep length', strength: 0 } as Treatment, neutral]) {
        if (t.swing || t.offset || t.loose || t.touch || t.feel || t.way || t.endStrength) continue;
        treat(reading(all), [t], clock).notes.forEach((n) => {
          expect([n.start, n.end, n.velocity]).toEqual([n.played.start, n.played.end, n.played.velocity]);
        });
      }
      const off = withoutTreatment(applyTreatment([], range), range);
      const back = byId(treat(reading(all), off, clock).notes);
      all.forEach((n) => expect(same(back.get(n.id)!, n)).toBe(true));
    });
  });

  it('moves nothing that does not belong to its range, and loses no note', () => {
    law(({ notes: all, clock, range }) => {
      const treated = byId(treat(reading(all), [range], clock).notes);
      expect(treated.size).toBe(all.length);
      for (const note of all) if (!treatmentOf(note, [range])) expect(same(treated.get(note.id)!, note)).toBe(true);
    });
  });

  it('lets no key overlap itself anew or pass itself, and makes no note shorter than it may', () => {
    law(({ notes: all, clock, range }) => {
      const treated = byId(treat(reading(all), [range], clock).notes);
      const last = new Map<number, Note>();
      for (const note of all) {
        const before = last.get(note.key);
        last.set(note.key, note);
        const now = treated.get(note.id)!;
        const least = Math.min(SHORTEST, note.end - note.start);
        expect(now.end - now.start).toBeGreaterThanOrEqual(least - 1e-6);
        if (!before || before.end > note.start) continue;
        expect(treated.get(before.id)!.end).toBeLessThanOrEqual(now.start + 1e-6);
      }
    });
  });

  it('lets no two notes of a key overlap that did not, nor any the more for having overlapped', () => {
    law(({ notes: all, clock, range }) => {
      const now = treat(reading(all), [range], clock).notes;
      const was = new Map(all.map((n) => [n.id, n]));
      for (const a of now)
        for (const b of now) {
          const [p, q] = [was.get(a.id)!, was.get(b.id)!];
          if (a.key !== b.key || a.id === b.id || p.start >= q.start) continue;
          expect(a.start).toBeLessThanOrEqual(b.start + 1e-6);
          const rang = Math.max(0, p.end - q.start);
          // No note is made so short that it would be none, and one that no treatment moves stays as it is.
          const gives = treatmentOf(p, [range]) !== undefined && a.end - a.start > 31;
          if (gives || rang === 0) expect(a.end - b.start).toBeLessThanOrEqual(rang + 1e-6);
        }
    });
  });

  it('gives the same each time, and the same whether its settings were set one by one or at once', () => {
    law(({ notes: all, clock, recipe, range }) => {
      const once = treat(reading(all), applyTreatment([], range), clock).notes;
      const before = applyTreatment(applyTreatment([], over({ ...recipe, strength: 0.3, offset: 20 }, range)), range);
      expect(treat(reading([...all]), applyTreatment(before, range), clock).notes).toEqual(once);
    });
  });

  it('keeps the order and the spread of what moves as one', () => {
    law(({ notes: all, clock, recipe, range }) => {
      if (!recipe.chord) return;
      const treated = byId(treat(reading(all), [range], clock).notes);
      const own = all.filter((n) => treatmentOf(n, [range]));
      for (const { notes: chord } of linedUp(own, range, clock, range).units) {
        const by = chord.map((n) => treated.get(n.id)!.start - n.start);
        by.forEach((b) => expect(b).toBeCloseTo(by[0]!, 5));
      }
    });
  });
});

describe('the lines of a grid', () => {
  it('are where full strength puts every note, the second time as the first', () => {
    fc.assert(
      fc.property(notes, fc.constantFrom(...GRIDS), clocks, (all, grid, clock) => {
        const t = over({ grid, strength: 1, ends: 'keep length' });
        const once = treat(reading(all), [t], clock).notes;
        const apart = once.every((n, i) => once.every((m, j) => i === j || m.key !== n.key));
        if (!apart) return;
        const twice = treat(reading(once), [t], clock).notes;
        twice.forEach((n) => expect(n.start).toBeCloseTo(once.find((m) => m.id === n.id)!.start, 6));
      }),
      { numRuns: worlds },
    );
  });
});

describe('steadying the hand', () => {
  it('at full strength moves a part that was played with one offset by that offset', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 120 }), { minLength: 4, maxLength: 60 }),
        fc.integer({ min: 70, max: 180 }),
        real(-0.3, 0.3),
        fc.constantFrom('phrase' as const, 'nearest' as const),
        (places, bpm, share16, lines) => {
          const clock = { tempo: tempoMap([{ tick: 0, bpm }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
          const by = share16 * 240;
          const all = places
            .sort((a, b) => a - b)
            .map((p, i): Note => {
              const start = 960 + p * 240 + by;
              return { id: `n:${i}`, key: 60 + (i % 12), velocity: 80, release: 64, start, end: start + 200 };
            });
          const range = { from: 0, to: 100_000 };
          const t = over({ grid: '16 straight', way: 'steady', strength: 1, lines, ends: 'keep length' }, range);
          treat(reading(all), [t], clock).notes.forEach((n) => expect(n.start - n.played.start).toBeCloseTo(-by, 3));
        },
      ),
      { numRuns: worlds },
    );
  });
});

describe('a feel', () => {
  it('taken from a part that repeats one bar, and laid on it at full strength, moves nothing', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 15 }), { minLength: 1, maxLength: 16 }),
        fc.array(fc.tuple(fc.integer({ min: -50, max: 50 }), fc.integer({ min: 1, max: 127 })), {
          ...{ minLength: 16, maxLength: 16 },
        }),
        fc.integer({ min: 1, max: 8 }),
        (places, leans, bars) => {
          const clock = { tempo: tempoMap([{ tick: 0, bpm: 100 }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
          const all = Array.from({ length: bars }, (_, bar) =>
            places
              .sort((a, b) => a - b)
              .map((place): Note => {
                const [lean, velocity] = leans[place]!;
                const start = 3840 * (bar + 1) + place * 240 + lean;
                const id = `n:${bar * 100 + place}`;
                return { id, key: 60 + (place % 7), velocity, release: 64, start, end: start + 100 };
              }),
          ).flat();
          const recipe: Recipe = { grid: '16 straight', strength: 1, ends: 'keep length' };
          const range = { from: 0, to: 3840 * 20 };
          const { units, lattice } = linedUp(all, recipe, clock, range);
          const struck = units.map((u) => ({
            line: lattice.tick[u.line]!,
            ms: (secondsAt(clock.tempo, u.notes[0]!.start) - lattice.seconds[u.line]!) * 1000,
            velocity: u.notes[0]!.velocity,
          }));
          const feel = feelOf('Own', struck, clock.meter)!;
          const t = over({ ...recipe, feel: { feel, timing: 1, touch: 1 } }, range);
          treat(reading(all), [t], clock).notes.forEach((n) => {
            expect(n.start).toBeCloseTo(n.played.start, 4);
            expect(n.velocity).toBe(n.played.velocity);
          });
        },
      ),
      { numRuns: worlds },
    );
  });
});
