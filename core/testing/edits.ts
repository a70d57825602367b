/** Random changes by hand to a part, for property tests. */
import fc from 'fast-check';
import {
  closeGaps,
  endBeforePedal,
  evenVelocities,
  giveBack,
  joinNotes,
  lengthenNotes,
  letGo,
  moveNotes,
  moveStarts,
} from '../editing/notes';
import {
  removeNotes,
  silenceNotes,
  splitNotes,
  changeVelocities,
  toTheNext,
  addNotes,
  type TakeEdits,
} from '../editing/notes';
import { clearLane, curve, drawLane, giveLaneBack, scaleLane, PEDAL } from '../editing/lanes';
import { shownOf, type Shown } from '../editing/editedView';
import { change } from '../song/changes';
import { mapsOf } from '../document/maps';
import { newSong, type SongDocument } from '../document/document';
import { newTake } from '../document/take';
import { songReader, type Layers } from '../reading/reading';
import { layers, transpositions } from './arbitraries';
import { transpositionOf, type TransposedFrom } from '../document/transposition';
import { meterMap } from '../time/meter';
import type { Layer } from '../takes/layer';
import { pick, type Pick } from '../takes/line';
import { ENDS } from '../timing/recipe';
import type { TreatedNote } from '../timing/treatment';
import { real } from './realNumbers';

/** A song with one part of a few takes, picked in ranges, and perhaps a treatment over some of it. */
export interface EditedWorld {
  readonly song: SongDocument;
  readonly layers: Layers;
}

const END = 20 * 3840;
const onTicks = (all: readonly TransposedFrom[]) => transpositionOf(all, meterMap(newSong('x', 'p').meter));

export const editedWorlds: fc.Arbitrary<EditedWorld> = fc
  .record({
    layers: fc.array(layers('x'), { minLength: 1, maxLength: 4 }),
    cuts: fc.array(fc.integer({ min: 1, max: 19 }), { maxLength: 3 }),
    treated: fc.option(
      fc.record({ from: fc.integer({ min: 0, max: 9 }), strength: real(0, 1), ends: fc.constantFrom(...ENDS) }),
    ),
    merged: fc.boolean(),
    transposition: fc.option(transpositions, { nil: [] }),
    heardIn: fc.option(transpositions, { nil: [] }),
  })
  .map(({ layers: made, cuts, treated, merged, transposition, heardIn }) => {
    const all = made.map((l, i): Layer => ({
      ...l,
      // The first was recorded when the song was in another key.
      header: { ...l.header, id: `l${i}`, ...(i === 0 ? { transposition: onTicks(heardIn) } : {}) },
      closing: { ...l.closing, range: { from: 0, to: END } },
    }));
    const song = newSong('x', 'p');
    const own = merged && all.length > 1 ? [[all[0]!, all[1]!], ...all.slice(2).map((l) => [l])] : all.map((l) => [l]);
    const takes = own.map((stack, i) =>
      newTake({
        id: `t${i}`,
        number: i + 1,
        layers: stack.map((l) => l.header.id),
        from: 0,
        to: END,
        placement: { policy: 'heard', nudge: 0 },
        at: '',
      }),
    );
    const bars = [...new Set([0, ...cuts, 20])].sort((a, b) => a - b);
    const comp = bars
      .slice(1)
      .map((to, i): Pick => ({ from: bars[i]! * 3840, to: to * 3840, takeId: takes[i % takes.length]!.id }))
      .reduce<Pick[]>((picked, next) => pick(picked, next), []);
    const treatments = treated
      ? [
          {
            id: 'r',
            from: treated.from * 3840,
            to: END,
            grid: '16 straight' as const,
            strength: treated.strength,
            ends: treated.ends,
          },
        ]
      : [];
    const part = { ...song.parts[0]!, takes, comp, treatments };
    return {
      song: { ...song, bars: 20, transposition, parts: [part] },
      layers: new Map(all.map((l) => [l.header.id, l])),
    };
  });

/** Gesture, before its notes are known. */
export interface Gesture {
  readonly kind: number;
  /** Range of notes, as shares of all. */
  readonly from: number;
  readonly to: number;
  readonly amount: number;
  readonly keys: number;
}
export const gestures: fc.Arbitrary<Gesture> = fc.record({
  kind: fc.integer({ min: 0, max: 19 }),
  from: real(0, 1),
  to: real(0, 1),
  amount: fc.integer({ min: -2000, max: 2000 }),
  keys: fc.integer({ min: -5, max: 5 }),
});

export const viewOf = ({ song, layers: there }: EditedWorld): Shown =>
  shownOf(song.parts[0]!, songReader(song, there), mapsOf(song));

let ids = 0;
const newId = (): string => `made${(ids += 1)}`;

export interface Made {
  readonly takes: readonly TakeEdits[];
  readonly notes: readonly TreatedNote[];
}

/** Edits of a gesture. */
export function madeOf(world: EditedWorld, { kind, from, to, amount, keys }: Gesture): Made {
  const shown = viewOf(world);
  const part = world.song.parts[0]!;
  const all = shown.line.notes;
  const [a, b] = [Math.min(from, to), Math.max(from, to)].map((x) => Math.round(x * all.length));
  const notes = all.slice(a, b);
  const range = { from: Math.round(Math.min(from, to) * END), to: Math.round(Math.max(from, to) * END) + 1 };
  const velocity = 1 + (Math.abs(amount) % 127);
  const make: (() => readonly TakeEdits[])[] = [
    () => moveNotes(notes, shown, amount, keys, newId).takes,
    () => moveNotes(notes.slice(0, 1), shown, amount, 0, newId).takes,
    () => moveNotes(notes, shown, 0, keys, newId).takes,
    () => moveStarts(notes, shown, amount),
    () => lengthenNotes(notes, shown, { by: amount }),
    () => lengthenNotes(notes, shown, { to: Math.abs(amount) + 1 }),
    () => lengthenNotes(notes, shown, { times: Math.abs(amount) / 1000 }),
    () => toTheNext(notes, shown),
    () => closeGaps(notes, shown, Math.abs(amount)),
    () => endBeforePedal(notes, shown),
    () => changeVelocities(notes, shown, { by: keys * 7 }),
    () => evenVelocities(notes, shown, 0.5),
    () => silenceNotes(notes, shown, true),
    () => removeNotes(notes, shown),
    () => letGo(notes, shown),
    () => giveBack(notes, shown, ['place', 'touch']),
    () => (notes[0] ? splitNotes(notes, shown, notes[0].start + Math.abs(amount), newId) : []),
    () => joinNotes(notes, shown),
    () => {
      const take = shown.heardAt(range.from);
      const note = { start: range.from, end: range.from + Math.abs(amount) + 1, key: 60 + keys, velocity, release: 64 };
      return take ? addNotes(take, newId(), [note]) : [];
    },
    () => [
      ...drawLane(part, PEDAL, range, curve([range.from, velocity], [range.to, 0], 'line')),
      ...scaleLane(part, 'control 11', range, 0.5, keys),
      ...clearLane(part, 'bend', range),
      ...(keys > 3 ? giveLaneBack(part, PEDAL, range) : []),
    ],
  ];
  return { takes: make[kind]!(), notes };
}

/** Carries out a gesture. */
export function carriedOut(world: EditedWorld, { takes }: Made): EditedWorld {
  if (takes.length === 0) return world;
  const command = { type: 'edit takes', part: 'p', what: 'a change', takes } as const;
  return { ...world, song: change(world.song, command).document };
}
