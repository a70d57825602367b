import { keyName } from '../performance/messages';
import type { Note } from '../performance/notes';
import type { SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { secondsAt, tickAt } from '../time/tempo';
import type { Milliseconds, TickRange, Ticks } from '../time/units';
import { positionAt } from '../time/meter';
import type { TreatedNote } from '../timing/treatment';
import { PEDAL, drawLane, pedalBars, pointsOf } from './lanes';
import { CHORD, endNotes, removeNotes, type TakeEdits } from './notes';
import { lengthOf } from './select';
import type { Shown } from './shown';

/** What goes wrong most. */
export const MEND_KINDS = ['short', 'doubled', 'brushed', 'hanging', 'blurred'] as const;
export type MendKind = (typeof MEND_KINDS)[number];

/** One thing that may want mending, and how. */
export interface Mend {
  readonly id: string;
  readonly kind: MendKind;
  /** Where it is. */
  readonly at: Ticks;
  /** The notes that it is about; for the pedal, those that it blurs. */
  readonly notes: readonly string[];
  /** What is wrong, in words. */
  readonly words: string;
  /** What would be done: a note goes, a note ends there, the pedal comes up there. */
  readonly does:
    | { readonly remove: readonly string[]; readonly hold?: { readonly id: string; readonly to: Ticks } }
    | { readonly end: readonly string[]; readonly at: Ticks }
    | { readonly lift: Ticks };
}

/** A note shorter than this was hardly meant. */
const SHORT: Milliseconds = 35;
/** More of them than this, and more than one in ten, are the way the part is played. */
const MANY_SHORT = 6;
/** Two strikes of one key nearer than this are one. */
const DOUBLED: Milliseconds = 50;
/** A brushed key is as soft and as short as this at most, beside a note that is struck within this. */
const BRUSHED_VELOCITY = 42;
const BRUSHED_LENGTH: Milliseconds = 130;
const BRUSHED_WITHIN: Milliseconds = 45;
/** So much of its neighbour's touch at most. */
const BRUSHED_SHARE = 0.62;
/** A note that is held less than this into the next chord is only let go late, as legato is played. */
const OVER_CHORD: Milliseconds = 110;
/** Fewer strikes together than this make no chord. */
const CHORD_NOTES = 3;
/** The pedal may come up so long after a new chord. */
const LATE_CHANGE: Milliseconds = 220;

interface Chord {
  readonly at: Ticks;
  readonly notes: readonly TreatedNote[];
}

/** Chords of three keys and more, in time order. */
function chordsOf(notes: readonly TreatedNote[]): Chord[] {
  const chords: Chord[] = [];
  for (let i = 0; i < notes.length;) {
    let last = i;
    while (last + 1 < notes.length && notes[last + 1]!.start - notes[i]!.start <= CHORD) last += 1;
    const together = notes.slice(i, last + 1);
    if (new Set(together.map((n) => n.key)).size >= CHORD_NOTES) chords.push({ at: notes[i]!.start, notes: together });
    i = last + 1;
  }
  return chords;
}

const classes = (notes: readonly Note[]): Set<number> => new Set(notes.map((n) => n.key % 12));
const differ = (a: Chord, b: Chord): boolean => {
  const [x, y] = [classes(a.notes), classes(b.notes)];
  return [...y].some((c) => !x.has(c));
};

/** Whether one chord under the pedal of the other is heard as a blur: most of it is new, and some of it rubs. */
function clash(a: Chord, b: Chord): boolean {
  const [x, y] = [classes(a.notes), classes(b.notes)];
  const kept = [...y].filter((c) => x.has(c)).length;
  const rubs = [...x].some((c) => !y.has(c) && (y.has((c + 1) % 12) || y.has((c + 11) % 12)));
  return kept * 2 <= y.size && rubs;
}

/** What of a line may want mending in a range. Nothing is changed by looking. */
export function mendsIn(shown: Pick<Shown, 'line'>, range: TickRange, { tempo, meter }: SongMaps): Mend[] {
  const notes = shown.line.notes.filter((n) => n.start >= range.from && n.start < range.to);
  const near = (a: Ticks, b: Ticks): Milliseconds => Math.abs(secondsAt(tempo, a) - secondsAt(tempo, b)) * 1000;
  const place = (at: Ticks): string => {
    const { bar, beat } = positionAt(meter, at);
    return `${bar}·${beat}`;
  };
  const mends: Mend[] = [];
  const taken = new Set<string>();
  const add = (mend: Omit<Mend, 'id'>): void => {
    mend.notes.forEach((n) => taken.add(n));
    mends.push({ ...mend, id: `${mend.kind} ${mend.notes[0] ?? mend.at}` });
  };

  const last = new Map<number, TreatedNote>();
  for (const note of notes) {
    const before = last.get(note.key);
    last.set(note.key, note);
    if (!before || near(before.start, note.start) > DOUBLED) continue;
    // The one that goes is the softer, or else the shorter; what is left is whole.
    const goes = before.velocity < note.velocity ? before : note;
    const apart = Math.round(near(before.start, note.start));
    const words = `${keyName(note.key)} at ${place(note.start)} is struck twice within ${apart} ms`;
    const stays = goes === note ? before : note;
    const hold = goes.end > stays.end ? { hold: { id: stays.id, to: goes.end } } : {};
    add({ kind: 'doubled', at: note.start, notes: [goes.id], words, does: { remove: [goes.id], ...hold } });
    taken.add(stays.id);
  }

  const short = notes.filter((n) => lengthOf(tempo, n) < SHORT).length;
  const allShort = short > MANY_SHORT && short * 10 > notes.length;
  notes.forEach((note, i) => {
    if (taken.has(note.id)) return;
    const length = lengthOf(tempo, note);
    if (note.velocity <= BRUSHED_VELOCITY && length <= BRUSHED_LENGTH) {
      for (let k = Math.max(0, i - 24); k < Math.min(notes.length, i + 25); k += 1) {
        const other = notes[k]!;
        const beside = Math.abs(other.key - note.key);
        if (beside < 1 || beside > 2 || near(other.start, note.start) > BRUSHED_WITHIN) continue;
        if (other.velocity * BRUSHED_SHARE < note.velocity || lengthOf(tempo, other) <= length) continue;
        const words = `${keyName(note.key)} at ${place(note.start)} is brushed beside ${keyName(other.key)}`;
        add({ kind: 'brushed', at: note.start, notes: [note.id], words, does: { remove: [note.id] } });
        return;
      }
    }
    if (length < SHORT && !allShort) {
      const words = `${keyName(note.key)} at ${place(note.start)} lasts ${Math.round(length)} ms`;
      add({ kind: 'short', at: note.start, notes: [note.id], words, does: { remove: [note.id] } });
    }
  });

  const chords = chordsOf(shown.line.notes.filter((n) => !taken.has(n.id)));
  chords.forEach((chord, i) => {
    const before = chords[i - 1];
    if (!before || chord.at < range.from || chord.at >= range.to || !differ(before, chord)) return;
    const over = tickAt(tempo, secondsAt(tempo, chord.at) + OVER_CHORD / 1000);
    const own = new Set(chord.notes.map((n) => n.key));
    // A note held on alone is an oversight; when most of the chord is, it is a suspension or a pedal point.
    const hanging = before.notes.filter((n) => n.end > over && !own.has(n.key) && !taken.has(n.id));
    const highest = Math.max(...chord.notes.map((n) => n.key));
    const meant = hanging.filter((n) => !classes(chord.notes).has(n.key % 12) && n.key <= highest + 12);
    if (meant.length > 0 && meant.length * 2 <= before.notes.length) {
      const keys = meant.map((n) => keyName(n.key)).join(', ');
      const words = `${keys} hang${meant.length === 1 ? 's' : ''} over the chord change at ${place(chord.at)}`;
      const ids = meant.map((n) => n.id);
      add({ kind: 'hanging', at: chord.at, notes: ids, words, does: { end: ids, at: chord.at } });
    }
  });

  const points = pointsOf(shown.line.controls, PEDAL);
  for (const bar of pedalBars(points, range.to)) {
    const inside = chords.filter((c) => c.at > bar.from + CHORD && c.at < bar.to - CHORD);
    for (const chord of inside) {
      const before = chords[chords.indexOf(chord) - 1];
      if (!before || chord.at < range.from || chord.at >= range.to || !differ(before, chord)) continue;
      // Only what this press has caught can blur; a pedal that is changed a little late is played as it should be.
      const caught = before.at > bar.from - CHORD || before.notes.some((n) => n.end > bar.from + CHORD);
      if (!caught || near(bar.to, chord.at) < LATE_CHANGE || !clash(before, chord)) continue;
      const words = `the pedal stays down over the chord change at ${place(chord.at)}`;
      const ids = chord.notes.map((n) => n.id);
      mends.push({
        id: `blurred ${chord.at}`,
        ...{ kind: 'blurred', at: chord.at, notes: ids, words, does: { lift: chord.at } },
      });
    }
  }
  return mends.sort((a, b) => a.at - b.at);
}

/** How long after the chord the pedal goes down again. */
const DOWN_AGAIN: Ticks = 150;

/** Takes some of the mends. */
export function takeMends(mends: readonly Mend[], part: Part, shown: Shown): TakeEdits[] {
  const byId = new Map(shown.line.notes.map((n) => [n.id, n]));
  const found = (ids: readonly string[]): TreatedNote[] => ids.flatMap((id) => byId.get(id) ?? []);
  const edits: TakeEdits[] = [];
  const gone = mends.flatMap(({ does }) => ('remove' in does ? found(does.remove) : []));
  edits.push(...removeNotes(gone, shown));
  const ends = new Map<string, Ticks>();
  for (const { does } of mends) {
    if ('end' in does) for (const id of does.end) ends.set(id, does.at);
    if ('hold' in does && does.hold) ends.set(does.hold.id, does.hold.to);
  }
  edits.push(...endNotes(found([...ends.keys()]), shown, (n) => ends.get(n.id)!));
  for (const { does } of mends) {
    if (!('lift' in does)) continue;
    const depth = pedalBars(pointsOf(shown.line.controls, PEDAL), does.lift).at(-1)?.depth ?? 127;
    edits.push(
      ...drawLane(part, PEDAL, { from: does.lift, to: does.lift + DOWN_AGAIN + 1 }, [
        [does.lift, 0],
        [does.lift + DOWN_AGAIN, depth],
      ]),
    );
  }
  return edits;
}
