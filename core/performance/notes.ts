import type { Ticks } from '../time/units';
import { isNote, SUSTAIN, type KeyMessage } from './messages';
import type { ControlEvent } from './controls';

/** Event at its place in the song. */
export interface PlacedEvent {
  readonly at: Ticks;
  readonly message: KeyMessage;
}

/** Played note, kept beside its hand-edited form. */
export interface AsPlayed {
  readonly start: Ticks;
  readonly end: Ticks;
  readonly key: number;
  readonly velocity: number;
  readonly release: number;
}

export interface Note {
  /** Id, which stays the same through placement, cuts and treatments. */
  readonly id: string;
  readonly key: number;
  readonly velocity: number;
  /** Velocity of the note-off. */
  readonly release: number;
  readonly start: Ticks;
  readonly end: Ticks;
  /** End of its recording, for a note that rings on beyond it: joins from there on do not cut it. */
  readonly until?: Ticks;
  /** Note as it was played, if it was edited by hand. */
  readonly played?: AsPlayed;
  /** Ends that were set by hand, which treatments leave alone. */
  readonly fixed?: 'start' | 'end' | 'both';
  /** True for a note that was added by hand. */
  readonly made?: boolean;
}

/** Note as it was played. */
export const asPlayed = ({ played, start, end, key, velocity, release }: Note): AsPlayed =>
  played ?? { start, end, key, velocity, release };

/** Distance below which two notes are at one place. */
const ONE_PLACE: Ticks = 1;

function isByStart(notes: readonly Note[]): boolean {
  for (let i = 1; i < notes.length; i += 1) if (byStart(notes[i - 1]!, notes[i]!) > 0) return false;
  return true;
}

/** Notes sorted by start, if they are not already. */
export const notesByStart = <N extends Note>(notes: readonly N[]): readonly N[] =>
  isByStart(notes) ? notes : [...notes].sort(byStart);

/** Test for notes of one key that overlap or begin at one place. */
function anyOverlap(sorted: readonly Note[]): boolean {
  const ends = new Map<number, Ticks>();
  const starts = new Map<number, Ticks>();
  for (const { key, start, end } of sorted) {
    if (start < (ends.get(key) ?? -Infinity) || start - (starts.get(key) ?? -Infinity) < ONE_PLACE) return true;
    ends.set(key, end);
    starts.set(key, start);
  }
  return false;
}

/**
 * Notes of one key that did not overlap as played do not overlap: a note-off would end the wrong one. The earlier is
 * cut at the later's start; of two that come to start together the longer is heard.
 * @returns notes by start
 */
export function withoutNewOverlaps<N extends Note>(notes: readonly N[]): N[] {
  const sorted = notesByStart(notes);
  // Most readings have no overlapping notes, which one pass shows.
  if (!anyOverlap(sorted)) return [...sorted];
  const following = new Map<number, N[]>();
  const kept: N[] = [];
  const dropped = new Set<N>();
  const overlapped = (a: N, b: N): boolean => {
    if (a.made || b.made) return false;
    const [p, q] = [asPlayed(a), asPlayed(b)];
    return p.key === q.key && p.start < q.end && q.start < p.end;
  };
  for (const note of [...sorted].reverse()) {
    // Searched from the last, as the latest notes are nearest.
    const after = following.get(note.key) ?? [];
    let own: N | null = note;
    for (let i = after.length - 1; i >= 0 && own; i -= 1) {
      const next = after[i]!;
      const together = next.start - own.start < ONE_PLACE;
      if (next.start >= own.end && !together) break;
      if (overlapped(own, next)) continue;
      if (!together) {
        own = { ...own, end: next.start };
        break;
      }
      if (next.end > own.end) own = null;
      else {
        dropped.add(next);
        after.splice(i, 1);
      }
    }
    if (!own) continue;
    kept.push(own);
    following.set(own.key, [...after.slice(-8), own]);
  }
  return (dropped.size > 0 ? kept.filter((n) => !dropped.has(n)) : kept).reverse();
}

/** Reading of a layer, a take or a line: notes by start, controls by time. */
export interface Reading {
  readonly notes: readonly Note[];
  readonly controls: readonly ControlEvent[];
}

export const SILENCE: Reading = { notes: [], controls: [] };

export const byStart = (a: Note, b: Note): number => a.start - b.start || a.key - b.key || (a.id < b.id ? -1 : 1);

/** Layer of a note, from its id. */
export const layerOfNote = ({ id }: Pick<Note, 'id'>): string => id.slice(0, Math.max(0, id.lastIndexOf(':')));

/** Note that is not complete yet. */
export type NoteInTheMaking = { -readonly [K in keyof Note]: Note[K] };

/**
 * Pairs note-ons with note-offs as they come, in time order. Of notes on one key that overlap, the one struck first is
 * released first. A note-off with nothing to release is passed over; a note that is never released ends at `closeAt`,
 * or where it was struck if that is later.
 */
export class Pairing {
  readonly #closeAt: Ticks;
  readonly #prefix: string;
  // Built in place: a long take has tens of thousands of events, and is read whenever a song is opened.
  readonly #notes: NoteInTheMaking[] = [];
  readonly #open = new Map<number, NoteInTheMaking[]>();

  /** @param prefix of the notes' ids, followed by the ordinal of the note-on */
  constructor(closeAt: Ticks, prefix: string) {
    this.#closeAt = closeAt;
    this.#prefix = prefix;
  }

  /** @param ordinal of a note-on: the number of those before it, where not all are added */
  add(at: Ticks, message: KeyMessage, ordinal = this.#notes.length): void {
    if (message.type === 'noteOn') {
      const { key, velocity } = message;
      const id = `${this.#prefix}:${ordinal}`;
      const note = { id, key, velocity, release: 64, start: at, end: Math.max(this.#closeAt, at) };
      this.#notes.push(note);
      const waiting = this.#open.get(key);
      if (waiting) waiting.push(note);
      else this.#open.set(key, [note]);
    } else if (message.type === 'noteOff') {
      const note = this.#open.get(message.key)?.shift();
      if (!note) return;
      note.release = message.velocity;
      note.end = Math.max(at, note.start);
    }
  }

  /** Notes by start, which the caller owns. */
  notes(): readonly NoteInTheMaking[] {
    return notesByStart(this.#notes);
  }
}

/** Notes of events in time order; see `Pairing`. */
export function notesFromEvents(events: readonly PlacedEvent[], closeAt: Ticks, prefix: string): readonly Note[] {
  const pairing = new Pairing(closeAt, prefix);
  for (const { at, message } of events) pairing.add(at, message);
  return pairing.notes();
}

/** Events other than notes. */
export function controlsFromEvents(events: readonly PlacedEvent[]): ControlEvent[] {
  return events.filter((event): event is ControlEvent => !isNote(event.message));
}

/**
 * Notes of one key so that each note's release is the next one after it: one that lies inside a longer one, or
 * overlaps it the wrong way round, ends the longer one where it is struck, and the key is released where the last of
 * them ends.
 */
function unnested(notes: readonly Note[]): Note[] {
  const last = new Map<number, number>();
  const made: Note[] = [];
  for (const note of notes) {
    const before = last.get(note.key);
    const longer = before === undefined ? undefined : made[before]!;
    last.set(note.key, made.length);
    if (before !== undefined && longer && longer.end > note.end && longer.start < note.start) {
      made[before] = { ...longer, end: note.start };
      made.push({ ...note, end: longer.end });
    } else made.push(note);
  }
  return made;
}

/**
 * Back to events in time order. At one tick a pedal that goes down there catches what is released there, then come
 * note-offs, then other controls, then note-ons. A note is a tick long at least, and ends before its key is struck
 * again where it did as played.
 * @param whole on whole ticks, for a file
 */
export function eventsFromReading({ notes, controls }: Reading, whole = false): PlacedEvent[] {
  const placedAt = (tick: Ticks): Ticks => (whole ? Math.round(tick) : tick);
  const struck = unnested(notes).map((note) => {
    const start = placedAt(note.start);
    return { note, start, end: Math.max(placedAt(note.end), start + 1) };
  });
  const next = new Map<number, (typeof struck)[number]>();
  for (let i = struck.length - 1; i >= 0; i -= 1) {
    const one = struck[i]!;
    const after = next.get(one.note.key);
    if (after && one.end > after.start && one.note.end <= after.note.start)
      one.end = Math.max(one.start + 1, after.start);
    next.set(one.note.key, one);
  }
  const ons = struck.map(({ note, start }): PlacedEvent => {
    return { at: start, message: { type: 'noteOn', key: note.key, velocity: note.velocity } };
  });
  const offs = struck.map(({ note, end }): PlacedEvent => {
    return { at: end, message: { type: 'noteOff', key: note.key, velocity: note.release } };
  });
  const placed = controls.map(({ at, message }): PlacedEvent => ({ at: placedAt(at), message }));
  const pedals = new Map<Ticks, number>();
  const isPedal = (message: KeyMessage) => message.type === 'control' && message.controller === SUSTAIN;
  for (const { at, message } of placed) if (isPedal(message)) pedals.set(at, (pedals.get(at) ?? 0) + 1);
  // A pedal that comes up and goes down on one tick catches nothing.
  const catches = ({ at, message }: PlacedEvent): boolean =>
    message.type === 'control' && isPedal(message) && message.value >= 64 && pedals.get(at) === 1;
  return merged([placed.filter(catches), offs, placed.filter((e) => !catches(e)), ons]);
}

/** Lists of events as one in time order; at one tick those of an earlier list come first. */
function merged(lists: readonly PlacedEvent[][]): PlacedEvent[] {
  for (const list of lists) list.sort((a, b) => a.at - b.at);
  const heads = lists.map(() => 0);
  const all: PlacedEvent[] = [];
  for (;;) {
    let [first, at] = [-1, Infinity];
    for (let k = 0; k < lists.length; k += 1) {
      const head = lists[k]![heads[k]!];
      if (head && head.at < at) [first, at] = [k, head.at];
    }
    if (first < 0) return all;
    all.push(lists[first]![heads[first]!]!);
    heads[first]! += 1;
  }
}

/** End of each note's sound with the sustain pedal, which is down from value 64. */
export function soundingEnds({ notes, controls }: Reading): Map<string, Ticks> {
  const pedal = controls.filter((c) => c.message.type === 'control' && c.message.controller === SUSTAIN);
  const nextStart = new Map<number, Ticks>();
  const ends = new Map<string, Ticks>();
  for (const note of [...notes].reverse()) {
    const before = pedal.findLast((p) => p.at <= note.end);
    let end = note.end;
    if (before && before.message.type === 'control' && before.message.value >= 64) {
      const lift = pedal.find((p) => p.at > note.end && p.message.type === 'control' && p.message.value < 64);
      end = Math.min(lift?.at ?? Infinity, nextStart.get(note.key) ?? Infinity);
      if (!Number.isFinite(end)) end = note.end;
    }
    ends.set(note.id, Math.max(end, note.end));
    nextStart.set(note.key, note.start);
  }
  return ends;
}
