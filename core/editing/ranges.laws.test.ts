import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import { change } from '../song/changes';
import { songReader } from '../reading/reading';
import { windowed } from '../takes/take';
import { carriedOut, editedWorlds, gestures, madeOf, viewOf, type EditedWorld } from '../testing/edits';
import { atRest, laneOf, type ControlEvent } from '../performance/controls';
import { keyBy, semitonesOf } from '../performance/transposition';
import { transpositionOf } from '../document/transposition';
import { newPart } from '../document/part';
import { removeNotes } from './notes';
import { copyRange, pasteNotes } from './ranges';
import { real } from '../testing/realNumbers';
import { TICK_TOLERANCE } from '../time/units';
import type { TreatedNote } from '../timing/treatment';

const WORLDS = Number(process.env['WORLDS'] ?? 120);
const BAR = 3840;
let ids = 0;
const made = { newId: () => `c${(ids += 1)}`, at: '' };
const near = (a: number, b: number): boolean => Math.abs(a - b) < TICK_TOLERANCE;

describe('a range that is copied', () => {
  it('sounds the same in empty bars of the same meter and tempo, event for event, in their key', () => {
    fc.assert(
      fc.property(
        editedWorlds,
        fc.array(gestures, { maxLength: 4 }),
        fc.integer({ min: 0, max: 8 }),
        fc.integer({ min: 1, max: 4 }),
        fc.integer({ min: 1, max: 2 }),
        (start, all, bar, long, times) => {
          const edited = all.reduce((now, gesture) => carriedOut(now, madeOf(now, gesture)), start);
          fc.pre(!struckAsOne(edited));
          const empty = newPart({ id: 'q', name: 'Other' }, 1);
          const song = { ...edited.song, parts: [...edited.song.parts, empty] };
          const maps = mapsOf(song);
          const range = { from: bar * BAR, to: (bar + long) * BAR };
          const places = Array.from({ length: times }, (_, i) => 11 * BAR + i * (range.to - range.from));
          const reader = songReader(song, edited.layers);
          const copy = copyRange({ from: song.parts[0]!, range, to: empty, places }, song, reader, maps, made)!;
          const command = { type: 'put stretches', what: 'copying', takes: [copy.copied], cleared: [] } as const;
          const after = change(song, command).document;
          const layers = new Map([...edited.layers, ...copy.layers.map((l) => [l.header.id, l] as const)]);
          const source = viewOf({ song, layers: edited.layers }).line;
          const copied = viewOf({ song: { ...after, parts: [after.parts[1]!] }, layers }).line;
          const by = places[0]! - range.from;
          const meant = windowed(source, range, Infinity);
          const untreated = readerNotes(edited);
          const belongs = new Set(windowed(untreated, range, Infinity).notes.map((n) => n.id));
          // What holds a note where it is, and is not copied, does not hold the copy.
          const [own, left] = [true, false].map((is) => source.notes.filter((n) => belongs.has(n.id) === is));
          const holds = (l: TreatedNote, n: TreatedNote) =>
            l.key === n.key && (l.start < n.start ? l.end > n.start - 1 : l.start < n.end + 1);
          fc.pre(!own!.some((n) => left!.some((l) => holds(l, n))));
          const keys = transpositionOf(song.transposition, maps.meter);
          // Each note is in the key of the place that it means.
          const placeOf = new Map(untreated.notes.map((n) => [n.id, n]));
          const wanted = own!.map((n) => {
            const { start: at, end } = placeOf.get(n.id)!;
            const semitones =
              semitonesOf(keys, { start: at + by, end: end + by }) - semitonesOf(keys, { start: at, end });
            return { ...n, start: n.start + by, end: n.end + by, key: keyBy(n.key, semitones) };
          });
          const first = copied.notes.filter((n) => times === 1 || n.played.start < places[1]! - 121);
          for (const note of first) {
            const same = wanted.find(
              (w) => w.key === note.key && near(w.start, note.start) && w.velocity === note.velocity,
            );
            expect(same).toBeDefined();
            if (times === 1) expect(near(same!.end, note.end)).toBe(true);
          }
          if (times === 1) {
            expect(copied.notes).toHaveLength(wanted.length);
            // What is heard of a controller: where it changes, from rest on; of what is said at one moment the last.
            const heard = (controls: readonly ControlEvent[], off: number): string[] => {
              const last = new Map(controls.map((c) => [`${Math.round((c.at + off) * 100)} ${laneOf(c.message)}`, c]));
              const held = new Map<string, number>();
              return [...last.values()]
                .sort((x, y) => x.at - y.at)
                .flatMap(({ at, message }) => {
                  const lane = laneOf(message);
                  if ((held.get(lane) ?? atRest(message)?.value) === message.value) return [];
                  held.set(lane, message.value);
                  return [`${Math.round((at + off) * 100)} ${lane} ${message.value}`];
                })
                .sort();
            };
            const inside = meant.controls.filter((c) => c.at < range.to);
            expect(
              heard(
                copied.controls.filter((c) => c.at < places[0]! + range.to - range.from),
                0,
              ),
            ).toEqual(heard(inside, by));
          }
          // Whatever was held is let go at the end.
          expect(
            copied.controls.filter((c) => c.message.type === 'control' && c.message.controller === 64).at(-1)?.message
              .value ?? 0,
          ).toBe(0);
          // And the part that it was copied from is as it was.
          expect(after.parts[0]).toEqual(song.parts[0]);
        },
      ),
      { numRuns: WORLDS },
    );
  });
});

/** Notes of one key within half a millisecond are none that a hand can make: which of them is heard is left open. */
function struckAsOne(world: EditedWorld): boolean {
  const last = new Map<number, number>();
  return world.song.parts[0]!.takes.some((take) => {
    last.clear();
    const all = songReader(world.song, world.layers).edited({ ...take, edits: [] }).reading.notes;
    const now = songReader(world.song, world.layers).read(take).notes;
    return [...all, { key: -1, start: 0, end: 9 }, ...now].some(({ key, start, end }) => {
      if (key < 0) last.clear();
      const close = start - (last.get(key) ?? -9) < 2 || end - start < 2;
      last.set(key, start);
      return close;
    });
  });
}

const readerNotes = (world: EditedWorld) => {
  const part = { ...world.song.parts[0]!, treatments: [] };
  return viewOf({ ...world, song: { ...world.song, parts: [part] } }).line;
};

describe('notes that are cut and pasted where they were', () => {
  it('are the same line', () => {
    fc.assert(
      fc.property(
        editedWorlds,
        fc.array(gestures, { maxLength: 3 }),
        fc.tuple(real(0, 1), real(0, 1)),
        (start, all, shares) => {
          const world = all.reduce((now, gesture) => carriedOut(now, madeOf(now, gesture)), start);
          fc.pre(!struckAsOne(world));
          const shown = viewOf(world);
          const [a, b] = shares.map((x) => Math.round(x * shown.line.notes.length)).sort((x, y) => x - y);
          // What a treatment has moved stands where it is seen, as any note does that the hand moves.
          const notes = shown.line.notes.slice(a, b).map((n) => ({ ...n, fixed: 'both' as const }));
          if (notes.length === 0) return;
          // A note that rings up to a tick before the next of its key, or over it, is cut there or not as when it was
          // played; a pasted one is new.
          const overlaps = (n: TreatedNote, m: TreatedNote) =>
            m.key === n.key && Math.max(n.end, n.played.end) > m.start - 2;
          fc.pre(!shown.line.notes.some((n, i, line) => line.slice(i + 1).some((m) => overlaps(n, m))));
          // A note halfway between two grid lines goes to either, by the notes around it that a treatment moves.
          fc.pre(!shown.line.notes.some((n) => Math.abs(Math.abs(n.played.start % 240) - 120) < 0.01));
          const cut = removeNotes(notes, shown);
          const maps = mapsOf(world.song);
          // What is pasted over the end of the song, where a treatment had moved it, takes its take along.
          fc.pre(notes.every((n) => n.end <= maps.end));
          const pasted = pasteNotes(notes, world.song.parts[0]!, world.song, maps, made);
          const after = change(world.song, {
            ...{ type: 'paste notes', part: 'p', what: 'pasting', at: '', takes: cut, edits: pasted.edits },
            layers: pasted.layers.map((l, i) => ({ header: l.header, range: pasted.ranges[i]! })),
          }).document;
          const layers = new Map([...world.layers, ...pasted.layers.map((l) => [l.header.id, l] as const)]);
          const now = viewOf({ song: after, layers }).line;
          // What a join leaves of a note that is struck just before it is heard for a tick, as any note is.
          const figures = (line: typeof now) =>
            line.notes
              .map((n) => [n.key, n.start, Math.max(n.end, n.start + 1), n.velocity, n.release] as const)
              .sort(([key, at], [other, there]) => key - other || at - there);
          const [got, wanted] = [figures(now), figures(shown.line)];
          expect(got).toHaveLength(wanted.length);
          got.forEach((note, i) => note.forEach((figure, k) => expect(figure).toBeCloseTo(wanted[i]![k]!, 2)));
          // Of two controllers that move on one tick neither is the first.
          const byLane = (line: typeof now) =>
            [...line.controls].sort((x, y) => laneOf(x.message).localeCompare(laneOf(y.message)));
          expect(byLane(now)).toEqual(byLane(shown.line));
        },
      ),
      { numRuns: WORLDS },
    );
  });
});
