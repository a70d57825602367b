import { firstIndex } from '../numbers';
import type { Note } from '../performance/notes';
import { SUSTAIN } from '../performance/messages';
import {
  lengthBy,
  packPlaces,
  SHORTEST_BY_HAND,
  type Edit,
  type EditKind,
  type LengthWay,
  type VelocityChange,
} from '../takes/edits';
import { idsOf, noteSet } from '../performance/noteSet';
import { SHORTEST, type TreatedNote, type TreatedReading } from '../timing/treatment';
import { TICK_TOLERANCE, type Ticks } from '../time/units';
import type { Shown } from './editedView';

/** Edits of one take. */
export interface TakeEdits {
  readonly take: string;
  readonly edits: readonly Edit[];
}

/** Notes by their take; notes in none are left out. */
function byTake(notes: readonly TreatedNote[], shown: Shown): Map<string, TreatedNote[]> {
  const groups = new Map<string, TreatedNote[]>();
  for (const note of notes) {
    const take = shown.takeOf(note.id);
    if (take === undefined) continue;
    const there = groups.get(take);
    if (there) there.push(note);
    else groups.set(take, [note]);
  }
  return groups;
}

const forEach = (
  notes: readonly TreatedNote[],
  shown: Shown,
  make: (own: readonly TreatedNote[]) => readonly Edit[],
): TakeEdits[] =>
  [...byTake(notes, shown)].flatMap(([take, own]) => {
    const edits = make(own);
    return edits.length > 0 ? [{ take, edits }] : [];
  });

/** Edits that put starts or ends to places, in the order of the set, as `pin` takes them. */
function pin(notes: readonly Note[], end: 'start' | 'end', placeOf: (note: Note) => Ticks): Edit[] {
  if (notes.length === 0) return [];
  const places = new Map(notes.map((n) => [n.id, placeOf(n)]));
  const set = noteSet(notes);
  return [{ op: 'pin', notes: set, end, places: packPlaces(idsOf(set).map((id) => places.get(id)!)) }];
}

/**
 * Edits that pin notes where they are seen, for notes that a treatment or a join has changed: further edits begin from
 * there.
 */
function asSeen(notes: readonly TreatedNote[], shown: Shown): Edit[] {
  const moved = notes.filter((n) => Math.abs(n.start - (shown.before(n.id)?.start ?? n.start)) > TICK_TOLERANCE);
  const ended = notes.filter((n) => {
    const before = shown.before(n.id);
    return before !== undefined && Math.abs(n.end - n.start - (before.end - before.start)) > TICK_TOLERANCE;
  });
  return [...pin(moved, 'start', (n) => n.start), ...pin(ended, 'end', (n) => n.end)];
}

/** Test for a note whose end does not follow its start: set by hand, cut by a join, or treated. */
function endsByItself(note: TreatedNote, shown: Shown): boolean {
  const before = shown.before(note.id);
  if (note.fixed === 'end' || note.fixed === 'both' || !before) return true;
  return shown.isTreated(note.id) || Math.abs(note.end - note.start - (before.end - before.start)) > TICK_TOLERANCE;
}

/** Edits that put whole notes to places, with their visible length. */
function pinWhole(notes: readonly TreatedNote[], shown: Shown, placeOf: (note: Note) => Ticks): Edit[] {
  const ended = notes.filter((n) => endsByItself(n, shown));
  return [
    ...pin(notes, 'start', placeOf),
    ...pin(ended, 'end', (n) => placeOf(n) + Math.max(SHORTEST_BY_HAND, n.end - n.start)),
  ];
}

export interface MovedNotes {
  readonly takes: readonly TakeEdits[];
  /** Ids of notes that moved to another take. */
  readonly renamed: ReadonlyMap<string, string>;
  /** Number of moved notes that are not heard at their new place. */
  readonly lost: number;
}

/**
 * Moves notes in time and pitch. A single note is put on a whole tick; several move by the same distance. A note moved
 * over a join goes to the take that is picked there.
 * @param newId for notes that are added
 */
export function moveNotes(
  notes: readonly TreatedNote[],
  shown: Shown,
  by: Ticks,
  keys: number,
  newId: () => string,
): MovedNotes {
  const inRange = notes.filter((n) => n.key + keys >= 0 && n.key + keys <= 127);
  const renamed = new Map<string, string>();
  let lost = 0;
  const crossing: TreatedNote[] = [];
  const staying: TreatedNote[] = [];
  for (const note of inRange) {
    const to = shown.heardAt(note.start + by);
    if (to === null && by !== 0) lost += 1;
    const goes = by !== 0 && to !== null && to !== shown.takeOf(note.id) && shown.heardAt(note.start) !== to;
    (goes ? crossing : staying).push(note);
  }
  const stays = forEach(staying, shown, (own): Edit[] => {
    const set = noteSet(own);
    if (by === 0) return keys === 0 ? [] : [{ op: 'move', notes: set, by: 0, keys }];
    if (own.length > 1 || crossing.length > 0) return [...asSeen(own, shown), { op: 'move', notes: set, by, keys }];
    const place = pinWhole(own, shown, (n) => n.start + by);
    return [...place, ...(keys === 0 ? [] : [{ op: 'move', notes: set, by: 0, keys } as const])];
  });
  const over = crossing.length > 0 ? goOver(crossing, shown, by, keys, newId, renamed) : [];
  return { takes: [...stays, ...over], renamed, lost };
}

/** Edits that move notes to the takes picked at their new places. */
function goOver(
  notes: readonly TreatedNote[],
  shown: Shown,
  by: Ticks,
  keys: number,
  newId: () => string,
  renamed: Map<string, string>,
): TakeEdits[] {
  const taken = forEach(notes, shown, (own) => [{ op: 'remove', notes: noteSet(own) }]);
  const receivers = new Map<string, TreatedNote[]>();
  for (const note of notes) {
    const to = shown.heardAt(note.start + by)!;
    receivers.set(to, [...(receivers.get(to) ?? []), note]);
  }
  const given = [...receivers].map(([take, own]): TakeEdits => {
    const id = newId();
    own.forEach((n, i) => renamed.set(n.id, `${id}:${i}`));
    const made = own.map((n) => [n.start + by, n.end + by, n.key + keys, n.velocity, n.release] as const);
    return { take, edits: [{ op: 'add', id, notes: made }] };
  });
  return [...taken, ...given];
}

/** Puts starts to typed places; notes keep their length. */
export const placeStarts = (notes: readonly TreatedNote[], shown: Shown, placeOf: (note: Note) => Ticks): TakeEdits[] =>
  forEach(notes, shown, (own) => pinWhole(own, shown, placeOf));

/** Moves starts of notes; their ends stay. */
export const moveStarts = (notes: readonly TreatedNote[], shown: Shown, by: Ticks): TakeEdits[] =>
  forEach(notes, shown, (own) => [
    ...pin(own, 'end', (n) => n.end),
    ...pin(own, 'start', (n) => Math.min(n.start + by, n.end - Math.min(SHORTEST_BY_HAND, n.end - n.start))),
  ]);

/** Changes lengths of notes, measured as they are seen, as a treatment may have moved either end. */
export const lengthenNotes = (notes: readonly TreatedNote[], shown: Shown, way: LengthWay): TakeEdits[] =>
  forEach(notes, shown, (own) => {
    const elsewhere = own.filter((n) => shown.isTreated(n.id) || endsByItself(n, shown));
    const put = new Set(elsewhere);
    const others = own.filter((n) => !put.has(n));
    const endOf = (n: Note): Ticks => n.start + lengthBy(n.end - n.start, way);
    // An end ahead of where the note was played, or one that would hold back a treatment, pins the start where it is
    // seen.
    const before = elsewhere.filter((n) => {
      const played = shown.before(n.id)?.start ?? n.start;
      return endOf(n) < Math.max(played + SHORTEST_BY_HAND, n.start + SHORTEST);
    });
    const places = [...pin(before, 'start', (n) => n.start), ...pin(elsewhere, 'end', endOf)];
    return others.length > 0 ? [...places, { op: 'length', notes: noteSet(others), way }] : places;
  });

/** Puts ends to places; ends that stay need no edit. */
export function endNotes(
  notes: readonly TreatedNote[],
  shown: Shown,
  placeOf: (note: TreatedNote) => Ticks | null,
): TakeEdits[] {
  const places = new Map(notes.map((n) => [n.id, placeOf(n)]));
  const changed = notes.filter((n) => {
    const place = places.get(n.id);
    return place !== null && place !== undefined && Math.abs(place - n.end) > TICK_TOLERANCE && place > n.start;
  });
  return forEach(changed, shown, (own) => pin(own, 'end', (n) => places.get(n.id)!));
}

/** Distance within which notes are a chord. */
export const CHORD: Ticks = 60;

/** First note after a note that is not in its chord. */
function nextStart(line: TreatedReading): (note: Note) => Ticks | null {
  const starts = line.notes.map((n) => n.start);
  return (note) => {
    const after = firstIndex(starts.length, (i) => starts[i]! > note.start + CHORD);
    return starts[after] ?? null;
  };
}

/** Extends or cuts each note to the start of the next. */
export const toTheNext = (notes: readonly TreatedNote[], shown: Shown): TakeEdits[] =>
  endNotes(notes, shown, nextStart(shown.line));

/** Extends notes that end shortly before the next note. */
export function closeGaps(notes: readonly TreatedNote[], shown: Shown, most: Ticks): TakeEdits[] {
  const next = nextStart(shown.line);
  return endNotes(notes, shown, (note) => {
    const at = next(note);
    return at !== null && at > note.end && at - note.end <= most ? at : null;
  });
}

/** Time between the end of a note and the pedal. */
const AHEAD_OF_PEDAL: Ticks = 20;

/** Ends notes that are held when the pedal goes down just before it, so that it does not catch them. */
export function endBeforePedal(notes: readonly TreatedNote[], shown: Shown): TakeEdits[] {
  const downs: Ticks[] = [];
  let isDown = false;
  for (const { at, message } of shown.line.controls) {
    if (message.type !== 'control' || message.controller !== SUSTAIN) continue;
    if (message.value >= 64 && !isDown) downs.push(at);
    isDown = message.value >= 64;
  }
  return endNotes(notes, shown, (note) => {
    const down = downs.find((at) => at > note.start + SHORTEST_BY_HAND + AHEAD_OF_PEDAL);
    return down !== undefined && down <= note.end ? down - AHEAD_OF_PEDAL : null;
  });
}

export const changeVelocities = (notes: readonly TreatedNote[], shown: Shown, way: VelocityChange): TakeEdits[] =>
  forEach(notes, shown, (own) => [{ op: 'touch', notes: noteSet(own), way }]);

/** Moves velocities towards the notes' mean. @param share 0 to 1 */
export function evenVelocities(notes: readonly TreatedNote[], shown: Shown, share: number): TakeEdits[] {
  if (notes.length === 0) return [];
  const level = Math.round(notes.reduce((sum, n) => sum + n.velocity, 0) / notes.length);
  return changeVelocities(notes, shown, { level, share });
}

export const silenceNotes = (notes: readonly TreatedNote[], shown: Shown, on: boolean): TakeEdits[] =>
  forEach(notes, shown, (own) => [{ op: 'silence', notes: noteSet(own), on }]);

export const removeNotes = (notes: readonly TreatedNote[], shown: Shown): TakeEdits[] =>
  forEach(notes, shown, (own) => [{ op: 'remove', notes: noteSet(own) }]);

export const letGo = (notes: readonly TreatedNote[], shown: Shown): TakeEdits[] =>
  forEach(
    notes.filter((n) => n.fixed),
    shown,
    (own) => [{ op: 'let go', notes: noteSet(own) }],
  );

/** Gives notes back as played, by kind of edit. Added notes are deleted with `heard`. */
export const giveBack = (notes: readonly Pick<Note, 'id'>[], shown: Shown, kinds: readonly EditKind[]): TakeEdits[] =>
  forEach(notes as readonly TreatedNote[], shown, (own) => [{ op: 'give back', notes: noteSet(own), kinds }]);

/** Adds a note, or several, to the take that is picked there. */
export const addNotes = (
  take: string,
  id: string,
  notes: readonly Pick<Note, 'start' | 'end' | 'key' | 'velocity' | 'release'>[],
): TakeEdits[] => [
  {
    take,
    edits: [{ op: 'add', id, notes: notes.map((n) => [n.start, n.end, n.key, n.velocity, n.release] as const) }],
  },
];

/** Splits notes at a place; those that do not sound there stay. */
export function splitNotes(notes: readonly TreatedNote[], shown: Shown, at: Ticks, newId: () => string): TakeEdits[] {
  const there = notes.filter((n) => n.start < at - SHORTEST_BY_HAND && n.end > at + SHORTEST_BY_HAND);
  return forEach(there, shown, (own) => [
    // A cut must not lie before the start of a note that a treatment has moved.
    ...asSeen(own, shown),
    ...pin(own, 'end', () => at),
    { op: 'add', id: newId(), notes: own.map((n) => [at, n.end, n.key, n.velocity, n.release] as const) },
  ]);
}

/** Joins consecutive notes of one key: the first is extended to the end of the last. */
export function joinNotes(notes: readonly TreatedNote[], shown: Shown): TakeEdits[] {
  const ends = new Map<string, Ticks>();
  const gone: TreatedNote[] = [];
  const firsts = new Map<string, TreatedNote>();
  for (const note of [...notes].sort((a, b) => a.start - b.start)) {
    const name = `${note.key} ${shown.takeOf(note.id)}`;
    const first = firsts.get(name);
    if (!first) firsts.set(name, note);
    else {
      gone.push(note);
      ends.set(first.id, Math.max(ends.get(first.id) ?? first.end, note.end));
    }
  }
  const longer = [...firsts.values()].filter((n) => ends.has(n.id));
  return [...removeNotes(gone, shown), ...forEach(longer, shown, (own) => pin(own, 'end', (n) => ends.get(n.id)!))];
}
