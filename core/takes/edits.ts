import { clamp } from '../numbers';
import type { Lane } from '../performance/controls';
import {
  asPlayed,
  layerOfNote,
  withoutNewOverlaps,
  type AsPlayed,
  type Note,
  type Reading,
} from '../performance/notes';
import { keyBy } from '../performance/transposition';
import type { TickRange, Ticks } from '../time/units';
import type { TempoWarp } from '../time/tempoWarp';
import { LaneEditor } from './laneEdits';
import {
  idsOf,
  ordinalOf,
  ordinalsOf,
  packNumbers,
  splitSet,
  unpackNumbers,
  type NoteSet,
} from '../performance/noteSet';

/** Kinds of edits, each of which can be given back as played. */
export const EDIT_KINDS = ['place', 'pitch', 'touch', 'heard'] as const;
export type EditKind = (typeof EDIT_KINDS)[number];

/** Change of notes' velocities: all set, moved, scaled around 0, drawn to a level by a share, or along a line. */
export type VelocityChange =
  | { readonly to: number }
  | { readonly by: number }
  | { readonly times: number }
  | { readonly level: number; readonly share: number }
  | { readonly from: Ticks; readonly first: number; readonly until: Ticks; readonly last: number }
  | { readonly release: number };

/** Change of notes' lengths: in ticks, or by a factor. */
export type LengthWay = { readonly by: Ticks } | { readonly to: Ticks } | { readonly times: number };

/** Added note: start, end, key, velocity, release. */
export type AddedNote = readonly [Ticks, Ticks, number, number, number];

/**
 * One change by hand to a take. It lies over what the take's layers say, names notes by where they come from, and is
 * made on what the changes before it have left. What it moves stands where it was put.
 */
export type Edit =
  | { readonly op: 'move'; readonly notes: NoteSet; readonly by: Ticks; readonly keys: number }
  /** Puts notes to places, in the set's order, packed as differences. */
  | { readonly op: 'pin'; readonly notes: NoteSet; readonly end: 'start' | 'end'; readonly places: string }
  | { readonly op: 'length'; readonly notes: NoteSet; readonly way: LengthWay }
  | { readonly op: 'touch'; readonly notes: NoteSet; readonly way: VelocityChange }
  | { readonly op: 'silence'; readonly notes: NoteSet; readonly on: boolean }
  | { readonly op: 'remove'; readonly notes: NoteSet }
  /** Prefix of the added notes' ids, followed by their ordinals. */
  | { readonly op: 'add'; readonly id: string; readonly notes: readonly AddedNote[] }
  /** Fixes notes where they are, whatever a treatment says. */
  | { readonly op: 'hold'; readonly notes: NoteSet; readonly end: 'start' | 'end' | 'both' }
  /** Releases fixed notes, so that treatments move them again. */
  | { readonly op: 'let go'; readonly notes: NoteSet }
  | { readonly op: 'give back'; readonly notes: NoteSet; readonly kinds: readonly EditKind[] }
  /** Sets a controller in a range to these places and values, at rest before the first. */
  | ({ readonly op: 'draw'; readonly lane: Lane; readonly points: readonly (readonly [Ticks, number])[] } & TickRange)
  /** Scales a controller's distance from its rest, then shifts it. */
  | ({ readonly op: 'scale'; readonly lane: Lane; readonly times: number; readonly by: number } & TickRange)
  /** Lane, or null for all lanes. */
  | ({ readonly op: 'give lane back'; readonly lane: Lane | null } & TickRange);

/** Shortest note that an edit makes. */
export const SHORTEST_BY_HAND: Ticks = 10;

/** Move of song time since an edit was made, in both directions; null for none. */
export interface Moved {
  readonly now: TempoWarp;
  readonly then: TempoWarp;
}

/** Reading of a take with its edits. */
export interface Edited {
  readonly reading: Reading;
  /** Silenced notes. */
  readonly silent: readonly Note[];
  /** Deleted notes, as they were played. */
  readonly removed: readonly Note[];
}

const velocity = (value: number): number => clamp(Math.round(value), 1, 127);

interface Working extends AsPlayed {
  readonly source: Note | null;
  readonly id: string;
  start: Ticks;
  end: Ticks;
  key: number;
  velocity: number;
  release: number;
  atStart: boolean;
  atEnd: boolean;
  silent: boolean;
  removed: boolean;
}

// Fields are written out, here and below, as a change to ten thousand notes makes as many objects.
const working = (note: Note): Working => ({
  source: note,
  id: note.id,
  start: note.start,
  end: note.end,
  key: note.key,
  velocity: note.velocity,
  release: note.release,
  atStart: false,
  atEnd: false,
  silent: false,
  removed: false,
});

const added = (id: string, [start, end, key, touch, release]: AddedNote, moved: Moved | null): Working => ({
  source: null,
  id,
  start: moved ? moved.now(start) : start,
  end: moved ? moved.now(end) : end,
  ...{ key, velocity: touch, release, atStart: true, atEnd: true, silent: false, removed: false },
});

const FIXED = [undefined, 'start', 'end', 'both'] as const;

/** Note in its present state; the same object where nothing has changed. */
function noteOf(own: Working): Note {
  const { id, source, start, end, key, velocity: touch, release } = own;
  const fixed = FIXED[(own.atStart ? 1 : 0) + (own.atEnd ? 2 : 0)];
  if (!source) return { id, key, velocity: touch, release, start, end, made: true, ...(fixed ? { fixed } : {}) };
  const placed = source.start === start && source.end === end && source.key === key;
  if (placed && source.velocity === touch && source.release === release && !fixed) return source;
  const made: { -readonly [K in keyof Note]: Note[K] } = { id, key, velocity: touch, release, start, end };
  made.played = asPlayed(source);
  if (source.until !== undefined) made.until = source.until;
  if (fixed) made.fixed = fixed;
  return made;
}

/** Carries out a function in the song time in which an edit was made. */
function inItsTime(own: Working, moved: Moved | null, act: () => void): void {
  if (!moved) return act();
  own.start = moved.then(own.start);
  own.end = moved.then(own.end);
  act();
  own.start = moved.now(own.start);
  own.end = moved.now(own.end);
}

function touched(own: Working, way: VelocityChange): void {
  if ('release' in way) own.release = clamp(Math.round(way.release), 0, 127);
  else if ('to' in way) own.velocity = velocity(way.to);
  else if ('by' in way) own.velocity = velocity(own.velocity + way.by);
  else if ('times' in way) own.velocity = velocity(own.velocity * way.times);
  else if ('share' in way) own.velocity = velocity(own.velocity + (way.level - own.velocity) * way.share);
  else {
    const span = way.until - way.from;
    const share = span > 0 ? clamp((own.start - way.from) / span, 0, 1) : 0;
    own.velocity = velocity(way.first + (way.last - way.first) * share);
  }
}

/** Changed length, never below the shortest. */
export function lengthBy(length: Ticks, way: LengthWay): Ticks {
  let wanted = length;
  if ('by' in way) wanted = length + way.by;
  else if ('to' in way) wanted = way.to;
  else wanted = length * way.times;
  return Math.max(Math.min(SHORTEST_BY_HAND, length), wanted);
}

function lengthened(own: Working, way: LengthWay): void {
  own.end = own.start + lengthBy(own.end - own.start, way);
  own.atEnd = true;
}

function givenBack(own: Working, kinds: readonly EditKind[]): void {
  const { source } = own;
  if (kinds.includes('heard')) Object.assign(own, { silent: false, removed: source === null });
  if (!source) return;
  if (kinds.includes('place'))
    Object.assign(own, { start: source.start, end: source.end, atStart: false, atEnd: false });
  if (kinds.includes('pitch')) own.key = source.key;
  if (kinds.includes('touch')) Object.assign(own, { velocity: source.velocity, release: source.release });
}

type NoteEdit = Exclude<Edit, { readonly op: 'add' | 'draw' | 'scale' | 'give lane back' }>;

function carryOut(edit: NoteEdit, own: Working, place: Ticks | undefined, moved: Moved | null): void {
  switch (edit.op) {
    case 'move':
      own.key = clamp(own.key + edit.keys, 0, 127);
      if (edit.by === 0) return;
      return inItsTime(own, moved, () => {
        own.start += edit.by;
        own.end += edit.by;
        Object.assign(own, { atStart: true, atEnd: true });
      });
    case 'pin':
      if (place === undefined) return;
      return inItsTime(own, moved, () => {
        const length = own.end - own.start;
        if (edit.end === 'start') {
          own.start = place;
          own.end = own.atEnd && own.end > place ? own.end : place + length;
          own.atStart = true;
        } else {
          own.end = Math.max(place, own.start + Math.min(SHORTEST_BY_HAND, length));
          own.atEnd = true;
        }
      });
    case 'length':
      return inItsTime(own, moved, () => lengthened(own, edit.way));
    case 'touch':
      return inItsTime(own, 'from' in edit.way ? moved : null, () => touched(own, edit.way));
    case 'silence':
      own.silent = edit.on;
      return;
    case 'remove':
      own.removed = true;
      return;
    case 'hold':
      if (edit.end !== 'end') own.atStart = true;
      if (edit.end !== 'start') own.atEnd = true;
      return;
    case 'let go':
      Object.assign(own, { atStart: false, atEnd: false });
      return;
    case 'give back':
      givenBack(own, edit.kinds);
  }
}

const BLANK: Edit = { op: 'remove', notes: {} };
/** Test for an edit that changes nothing in any take. */
export const isBlank = (edit: Edit): boolean => 'notes' in edit && Object.keys(edit.notes).length === 0;

/** Edit split into its notes of one layer and the rest; both may be empty. */
export function splitEdit(edit: Edit, layer: string): { readonly own: Edit; readonly others: Edit } {
  if (!('notes' in edit) || edit.op === 'add') return { own: BLANK, others: edit };
  const { own, others } = splitSet(edit.notes, layer);
  if (edit.op !== 'pin') return { own: { ...edit, notes: own }, others: { ...edit, notes: others } };
  const places = placesOf(edit.places);
  const of = new Map(idsOf(edit.notes).map((id, i) => [id, places[i]!]));
  const only = (notes: NoteSet): Edit => ({
    ...edit,
    notes,
    places: packPlaces(idsOf(notes).map((id) => of.get(id)!)),
  });
  return { own: only(own), others: only(others) };
}

/** Places for a `pin` in whole ticks, in the order of its set. */
export function packPlaces(places: readonly Ticks[]): string {
  let before = 0;
  return packNumbers(
    places.map((place) => {
      const by = Math.round(place) - before;
      before += by;
      return by;
    }),
  );
}

/** Places of a `pin`, unpacked. */
function placesOf(packed: string): Ticks[] {
  let at = 0;
  return unpackNumbers(packed).map((by) => (at += by));
}

const NOTHING: readonly Note[] = [];

/** Indices of a reading's notes, by source and ordinal. */
type Places = ReadonlyMap<string, readonly (number | undefined)[]>;
const placesKnown = new WeakMap<readonly Note[], Places>();
function placesIn(notes: readonly Note[]): Places {
  const there = placesKnown.get(notes);
  if (there) return there;
  const made = new Map<string, (number | undefined)[]>();
  notes.forEach((note, i) => {
    const source = layerOfNote(note);
    let own = made.get(source);
    if (!own) made.set(source, (own = []));
    own[ordinalOf(note)] = i;
  });
  placesKnown.set(notes, made);
  return made;
}

/** Ordinals of an edit's notes, by source; cached, as edits never change. */
const namedKnown = new WeakMap<NoteSet, readonly (readonly [string, readonly number[]])[]>();
function named(set: NoteSet): readonly (readonly [string, readonly number[]])[] {
  const there = namedKnown.get(set);
  if (there) return there;
  const made = Object.entries(set).map(([source, words]) => [source, ordinalsOf(words)] as const);
  namedKnown.set(set, made);
  return made;
}

/**
 * A take's reading with its edits made on it, one after the other. An edit of a note that is not there does nothing,
 * and stays.
 * @param movedSince how song time has moved since the edit at an index was made
 * @param semitones how much higher a note sounds that was added: it is kept at the song's own pitch
 */
export function withEdits(
  reading: Reading,
  edits: readonly Edit[],
  movedSince: (index: number) => Moved | null = () => null,
  semitones: (note: Pick<Note, 'start' | 'end'>) => number = () => 0,
): Edited {
  if (edits.length === 0) return { reading, silent: NOTHING, removed: NOTHING };
  const { notes: given } = reading;
  const places = placesIn(given);
  /** Changed notes by their index in the reading, and added ones by id. */
  const changed: Working[] = [];
  const made = new Map<string, Working>();
  const workOn = (source: string, ordinal: number): Working | undefined => {
    const at = places.get(source)?.[ordinal];
    if (at === undefined) return made.get(`${source}:${ordinal}`);
    return (changed[at] ??= working(given[at]!));
  };
  const lanes = new LaneEditor(reading.controls);
  let touched = false;
  edits.forEach((edit, index) => {
    const moved = movedSince(index);
    if ('from' in edit) {
      lanes.edit(edit, moved);
      return;
    }
    touched = true;
    if (edit.op === 'add') {
      edit.notes.forEach((note, i) => {
        const own = added(`${edit.id}:${i}`, note, moved);
        own.key = keyBy(own.key, semitones(own));
        made.set(own.id, own);
      });
      return;
    }
    const pinned = edit.op === 'pin' ? placesOf(edit.places) : [];
    let i = 0;
    for (const [source, ordinals] of named(edit.notes))
      for (const ordinal of ordinals) {
        const own = workOn(source, ordinal);
        if (own) carryOut(edit, own, pinned[i], moved);
        i += 1;
      }
  });
  const controls = lanes.controls();
  if (!touched) return { reading: { notes: given, controls }, silent: NOTHING, removed: NOTHING };
  const silent: Note[] = [];
  const removed: Note[] = [];
  const notes: Note[] = [];
  let same = true;
  const take = (own: Working): void => {
    const note = noteOf(own);
    if (own.removed) {
      if (own.source) removed.push(own.source);
    } else if (own.silent) silent.push(note);
    else {
      notes.push(note);
      if (own.source !== note) same = false;
    }
  };
  for (let i = 0; i < given.length; i += 1) {
    const own = changed[i];
    if (own) take(own);
    else notes.push(given[i]!);
  }
  for (const own of made.values()) take(own);
  // Notes that were not moved, or only deleted, cannot overlap anew.
  return { reading: { notes: same ? notes : withoutNewOverlaps(notes), controls }, silent, removed };
}
