import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { applyPatches } from 'immer';
import { change } from '../song/changes';
import { carriedOut, editedWorlds, gestures, madeOf, viewOf, type EditedWorld } from '../testing/edits';
import { songReader } from '../reading/reading';
import { asPlayed, type AsPlayed } from '../performance/notes';
import { TICK_TOLERANCE } from '../time/units';
import { idsOf } from '../performance/noteSet';
import { real } from '../testing/realNumbers';
import { lengthenNotes, moveNotes, placeStarts } from './notes';

const WORLDS = Number(process.env['WORLDS'] ?? 120);
const lineOf = (world: EditedWorld) => viewOf(world).line;
const reader = ({ layers, song }: EditedWorld) => songReader(song, layers);

describe('changes by hand', () => {
  it('are all given back, bit for bit', () => {
    fc.assert(
      fc.property(editedWorlds, fc.array(gestures, { minLength: 1, maxLength: 12 }), (world, all) => {
        const before = lineOf(world);
        const after = all.reduce((now, gesture) => carriedOut(now, madeOf(now, gesture)), world);
        const takes = after.song.parts[0]!.takes.map((t) => t.id);
        const back = change(after.song, { type: 'give takes back', part: 'p', takes }).document;
        expect(lineOf({ ...after, song: back })).toEqual(before);
      }),
      { numRuns: WORLDS },
    );
  });

  it('are undone one by one, through the same states', () => {
    fc.assert(
      fc.property(editedWorlds, fc.array(gestures, { minLength: 5, maxLength: 100 }), (world, all) => {
        const states = [world.song];
        const inverses = [];
        let now = world;
        for (const gesture of all) {
          const { takes } = madeOf(now, gesture);
          if (takes.length === 0) continue;
          const made = change(now.song, { type: 'edit takes', part: 'p', what: 'x', takes });
          inverses.push(made.inverse);
          now = { ...now, song: made.document };
          states.push(made.document);
        }
        for (const inverse of inverses.reverse()) {
          expect(now.song).toEqual(states.pop());
          now = { ...now, song: applyPatches(now.song, [...inverse]) };
        }
        expect(now.song).toEqual(states[0]);
        expect(lineOf(now)).toEqual(lineOf(world));
      }),
      { numRuns: Math.ceil(WORLDS / 8) },
    );
  });

  it('change no other take, no notes that were not chosen, and with a controller no notes', () => {
    fc.assert(
      fc.property(editedWorlds, fc.array(gestures, { maxLength: 5 }), gestures, (start, before, last) => {
        const world = before.reduce((now, gesture) => carriedOut(now, madeOf(now, gesture)), start);
        const made = madeOf(world, last);
        const after = carriedOut(world, made);
        const [was, is] = [reader(world), reader(after)];
        const named = new Set<string>();
        for (const { edits } of made.takes)
          for (const edit of edits)
            if ('notes' in edit && edit.op !== 'add') idsOf(edit.notes).forEach((id) => named.add(id));
        const chosen = new Set(made.notes.map((n) => n.id));
        named.forEach((id) => expect(chosen.has(id)).toBe(true));
        for (const take of world.song.parts[0]!.takes) {
          const now = after.song.parts[0]!.takes.find((t) => t.id === take.id)!;
          const edits = made.takes.filter((t) => t.take === take.id).flatMap((t) => t.edits);
          const [a, b] = [was.edited(take), is.edited(now)];
          if (edits.length === 0) expect(b.reading).toEqual(a.reading);
          else if (edits.every((e) => 'from' in e)) expect(b.reading.notes).toEqual(a.reading.notes);
          else if (edits.every((e) => !('from' in e))) expect(b.reading.controls).toEqual(a.reading.controls);
          const touched = new Set(edits.flatMap((e) => ('notes' in e && e.op !== 'add' ? idsOf(e.notes) : [])));
          const others = new Map(b.reading.notes.map((n) => [n.id, n]));
          for (const note of a.reading.notes) {
            if (touched.has(note.id)) continue;
            // Another note may end it, or take its place; it is never moved, and comes back when that one goes.
            const still = others.get(note.id);
            if (still) expect([still.start, still.key, still.velocity]).toEqual([note.start, note.key, note.velocity]);
          }
        }
      }),
      { numRuns: WORLDS },
    );
  });

  it('put a note where they were asked to, with the length that was seen, whatever a treatment does', () => {
    fc.assert(
      fc.property(
        editedWorlds,
        fc.array(gestures, { maxLength: 4 }),
        real(0, 0.999),
        fc.integer({ min: -3000, max: 3000 }),
        fc.constantFrom('move' as const, 'place' as const, 'length' as const),
        (start, before, which, by, what) => {
          const world = before.reduce((now, gesture) => carriedOut(now, madeOf(now, gesture)), start);
          const shown = viewOf(world);
          const note = shown.line.notes[Math.floor(which * shown.line.notes.length)];
          if (!note) return;
          const wanted =
            what === 'length'
              ? { start: note.start, end: note.start + Math.max(note.end - note.start + by, 10) }
              : { start: note.start + by, end: note.end + by };
          // Another note of its key may end it, or be ended by it: that is another law's.
          const near = { from: Math.min(note.start, wanted.start), to: Math.max(note.end, wanted.end) };
          const isFree = shown.line.notes.every(
            (n) => n === note || n.key !== note.key || n.end < near.from - 1 || n.start > near.to + 1,
          );
          // A note that ended, as played, where its key was struck again still ends there.
          const isCut = note.played.end > note.end + 1 && note.fixed !== 'end' && note.fixed !== 'both';
          if (!isFree || isCut || shown.heardAt(wanted.start) === null || note.end - note.start < 11) return;
          const takes = {
            move: () => moveNotes([note], shown, by, 0, () => 'moved').takes,
            place: () => placeStarts([note], shown, () => wanted.start),
            length: () => lengthenNotes([note], shown, { by }),
          }[what]();
          const after = lineOf(carriedOut(world, { takes, notes: [note] })).notes;
          const now = after.find((n) => n.id === note.id) ?? after.find((n) => n.id === 'moved:0');
          // A note typed into another take's range is not heard there.
          if (!now) return;
          const cutBy = world.song.parts[0]!.comp.some((c) => c.to > wanted.start && c.to < wanted.end + 1);
          // A join that cuts it holds it, too.
          if (cutBy) return;
          expect(Math.abs(now.start - wanted.start)).toBeLessThan(0.51);
          // Half a tick by the start, half by the length.
          expect(Math.abs(now.end - wanted.end)).toBeLessThan(1.01 + TICK_TOLERANCE);
        },
      ),
      { numRuns: WORLDS * 3 },
    );
  });

  it('leave no two notes of a key overlapping that did not as played, and every note with an end', () => {
    fc.assert(
      fc.property(editedWorlds, fc.array(gestures, { minLength: 1, maxLength: 10 }), (start, all) => {
        const world = all.reduce((now, gesture) => carriedOut(now, madeOf(now, gesture)), start);
        const { notes, controls } = lineOf(world);
        // A note that is cut where another was added still rang over what it rang over.
        const before = new Map(lineOf(start).notes.map((n) => [n.id, asPlayed(n)]));
        const last = new Map<number, (typeof notes)[number][]>();
        for (const note of notes) {
          expect(note.end).toBeGreaterThanOrEqual(note.start);
          for (const other of last.get(note.key) ?? []) {
            const [p, q] = [other, note].map((n) => before.get(n.id) ?? asPlayed(n)) as [AsPlayed, AsPlayed];
            const asWas = p.key === q.key && p.start < q.end + 1 && q.start < p.end + 1 && !other.made && !note.made;
            if (!asWas) expect(other.end).toBeLessThanOrEqual(note.start + 1e-6);
          }
          last.set(note.key, [...(last.get(note.key) ?? []), note]);
        }
        const pedal = controls.filter((c) => c.message.type === 'control' && c.message.controller === 64);
        const down = pedal.at(-1)?.message.value;
        expect(down ?? 0).toBe(0);
      }),
      { numRuns: WORLDS },
    );
  });
});
