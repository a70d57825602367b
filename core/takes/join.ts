import { firstAtOrAfter } from '../numbers';
import { SUSTAIN } from '../performance/messages';
import type { Note, Reading } from '../performance/notes';
import type { Ticks } from '../time/units';
import { belongsTo, MEANT_AHEAD, meansPlace } from '../performance/intendedPlace';

/** Treatments of a note that is held over a join. */
export const HELD = ['cut', 'ring', 'take over'] as const;
export type Held = (typeof HELD)[number];

/** Choice for a join, beyond changing takes there. */
export interface JoinChoice {
  /** Held notes end there, ring to their own end, or continue in the take that follows where it holds the same key. */
  readonly held: Held;
  /** True to lift the pedal just before it, so that nothing rings on under a pedal that stays down. */
  readonly lift: boolean;
  /** Ids of notes that are left out, because the other take has them too. */
  readonly drop: readonly string[];
  /** Ids of notes that are kept from the other side, because neither take would sound them. */
  readonly keep: readonly string[];
}

export const AS_IT_FALLS: JoinChoice = { held: 'cut', lift: false, drop: [], keep: [] };

/** Distance before the join at which the pedal is lifted. */
export const LIFT_AHEAD: Ticks = 40;
/** Distance within which two notes of one key, one of each take, are one note. */
const ONE_NOTE: Ticks = 240;
/** Overlap with a place up to which a note counts as released there. */
const LET_GO: Ticks = 60;
const BEAT: Ticks = 960;
/** Tolerance within which a note is on a place, in ticks. */
const ON_IT: Ticks = 1;

/** State of a take at a place. */
export interface AtPlace {
  /** Notes that begin before it, and end after it or less than a beat before. */
  readonly down: readonly Note[];
  /** Notes whose key is held across it. */
  readonly held: readonly Note[];
  /** True if the sustain pedal is down just before it. */
  readonly pedal: boolean;
  /** Notes near it. */
  readonly near: readonly Note[];
}

/** Index of the first note that starts at or after a tick. */
export const firstFrom = (notes: readonly Note[], at: Ticks): number => firstAtOrAfter(notes, at, (n) => n.start);

/** States of a take at some places, in rising order. */
export function atPlaces({ notes, controls }: Reading, places: readonly Ticks[]): AtPlace[] {
  let [next, moved, pedal] = [0, 0, false];
  let down: Note[] = [];
  return places.map((at) => {
    for (; next < notes.length && notes[next]!.start < at; next += 1) down.push(notes[next]!);
    down = down.filter((note) => note.end > at - BEAT);
    for (; moved < controls.length && controls[moved]!.at < at; moved += 1) {
      const { message } = controls[moved]!;
      if (message.type === 'control' && message.controller === SUSTAIN) pedal = message.value >= 64;
    }
    const near: Note[] = [];
    for (let i = firstFrom(notes, at - ONE_NOTE); i < notes.length && notes[i]!.start < at + ONE_NOTE; i += 1)
      near.push(notes[i]!);
    return { down, held: down.filter((note) => note.end > at + LET_GO && !meansPlace(note, at)), pedal, near };
  });
}

/** Pair of notes near a join that both takes have, of which both or none would sound. */
export interface Doubtful {
  readonly before: Note;
  readonly after: Note;
}

const around = (at: Ticks) => ({
  before: { from: -Infinity, to: at },
  after: { from: at, to: Infinity },
});

/** Pairs of notes near a join that sound in both takes (`double`) or in neither (`lost`). */
export function doubtfulNotes(
  before: AtPlace,
  after: AtPlace,
  at: Ticks,
): { readonly double: Doubtful[]; readonly lost: Doubtful[] } {
  const ranges = around(at);
  const double: Doubtful[] = [];
  const lost: Doubtful[] = [];
  for (const a of before.near) {
    const b = after.near.find((n) => n.key === a.key && Math.abs(n.start - a.start) < ONE_NOTE);
    if (!b) continue;
    const [soundsA, soundsB] = [belongsTo(a, ranges.before, true), belongsTo(b, ranges.after, false)];
    if (soundsA && soundsB) double.push({ before: a, after: b });
    else if (!soundsA && !soundsB) lost.push({ before: a, after: b });
  }
  return { double, lost };
}

/** Test for a place where changing takes cuts nothing and doubles nothing. */
export function isClean(before: AtPlace, after: AtPlace, at: Ticks): boolean {
  if (before.held.length > 0 || after.held.length > 0 || before.pedal !== after.pedal) return false;
  const { double, lost } = doubtfulNotes(before, after, at);
  if (double.length > 0 || lost.length > 0) return false;
  // A note that means the place is sounded by the next take, which must have it.
  const meaning = before.near.filter((note) => meansPlace(note, at));
  return meaning.every((a) => after.near.some((b) => b.key === a.key && Math.abs(b.start - a.start) < ONE_NOTE));
}

/** End of a note that the take before holds over a join. @param after take that follows */
export function heldUntil(note: Note, held: Held, at: Ticks, after: Reading): Ticks {
  if (held === 'cut') return at;
  const isSame = (n: Note) => n.key === note.key;
  const struck = after.notes.slice(firstFrom(after.notes, at - MEANT_AHEAD)).find((n) => {
    return isSame(n) && belongsTo(n, { from: at, to: Infinity }, false);
  });
  const until = struck ? Math.max(note.start + 1, struck.start) : Infinity;
  if (held === 'ring') return Math.min(note.end, until);
  // A note on the join is not held over it, even if a change of tempo moved it by less than a tick.
  const other = after.notes.findLast((n) => isSame(n) && n.start < at - ON_IT && n.end > at);
  return other ? Math.min(other.end, until) : at;
}
