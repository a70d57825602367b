import { keyName } from '../performance/messages';
import type { Note } from '../performance/notes';
import type { SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { secondsAt, tickAt } from '../time/tempo';
import type { Milliseconds, TickRange, Ticks } from '../time/units';
import { positionAt } from '../time/meter';
import { figuresOf } from '../timing/figures';
import type { TreatedNote } from '../timing/treatment';
import { PEDAL, drawLane, pedalBars, pointsOf } from './lanes';
import { CHORD, endNotes, removeNotes, type TakeEdits } from './notes';
import { lengthOf } from './select';
import type { Shown } from './editedView';

/** Kinds of faults. */
export const MEND_KINDS = ['short', 'doubled', 'brushed', 'hanging', 'blurred'] as const;
export type MendKind = (typeof MEND_KINDS)[number];

/** Fault with its repair. */
export interface Mend {
  readonly id: string;
  readonly kind: MendKind;
  /** Place of the fault. */
  readonly at: Ticks;
  /** Notes that the fault is about; for the pedal, those that it blurs. */
  readonly notes: readonly string[];
  /** Words for what is wrong. */
  readonly words: string;
  /** Effect of the repair: deletes a note, ends a note, or lifts the pedal. */
  readonly does:
    | { readonly remove: readonly string[]; readonly hold?: { readonly id: string; readonly to: Ticks } }
    | { readonly end: readonly string[]; readonly at: Ticks }
    | { readonly lift: Ticks };
}

/** Duration in seconds below which a note was probably not meant. */
const SHORT: Milliseconds = 35;
/** Numbers above which such notes are a way of playing: more of them, and more than one in ten. */
const MANY_SHORT = 6;
/** Distance within which two notes of one key are one. */
const DOUBLED: Milliseconds = 50;
/** Velocity and duration at most of a brushed key, and the distance of the key that it was brushed with. */
const BRUSHED_VELOCITY = 50;
const BRUSHED_LENGTH: Milliseconds = 130;
const BRUSHED_WITHIN: Milliseconds = 45;
/** Least lead of a grace note over its main note, and its overlap with it. */
const GRACE_AHEAD: Milliseconds = 12;
const GRACE_OVER: Milliseconds = 30;
/** Longest gap between a grace note and its main note, their distance in keys, and the ratio of their lengths. */
const GRACE_WITHIN: Milliseconds = 130;
const GRACE_KEYS = 4;
const GRACE_LONGER = 2;
/** Highest velocity, as a share of its neighbour's. */
const BRUSHED_SHARE = 0.62;
/** Longest overlap with the next chord that counts as legato. */
const OVER_CHORD: Milliseconds = 110;
/** Least number of notes in a chord. */
const CHORD_NOTES = 3;
/** Longest delay of the pedal's change after a new chord. */
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

/** Test for a chord that blurs with the one before under the same pedal: most of it is new, and some of it rubs. */
function clash(a: Chord, b: Chord): boolean {
  const [x, y] = [classes(a.notes), classes(b.notes)];
  const kept = [...y].filter((c) => x.has(c)).length;
  const rubs = [...x].some((c) => !y.has(c) && (y.has((c + 1) % 12) || y.has((c + 11) % 12)));
  // Chords without a common note blur too, even without a semitone between them.
  return kept * 2 <= y.size && (rubs || kept === 0);
}

/** Line that is examined, and its range. */
interface Looked {
  /** Notes in time order. */
  readonly notes: readonly TreatedNote[];
  readonly range: TickRange;
  readonly maps: SongMaps;
}

const within = ({ range }: Looked, at: Ticks): boolean => at >= range.from && at < range.to;
const apart = ({ maps: { tempo } }: Looked, a: Ticks, b: Ticks): Milliseconds =>
  Math.abs(secondsAt(tempo, a) - secondsAt(tempo, b)) * 1000;

/** Place as bar and beat, such as "12·3". */
function placeOf({ maps }: Looked, at: Ticks): string {
  const { bar, beat } = positionAt(maps.meter, at);
  return `${bar}·${beat}`;
}

const named = (mend: Omit<Mend, 'id'>): Mend => ({ ...mend, id: `${mend.kind} ${mend.notes[0] ?? mend.at}` });

interface Doubled {
  readonly mend: Mend;
  /** Note that stays. */
  readonly stays: string;
}

/** Pairs of notes that sound one key twice at once. */
function doubledOf(looked: Looked): Doubled[] {
  const doubled: Doubled[] = [];
  const last = new Map<number, TreatedNote>();
  for (const note of looked.notes) {
    if (!within(looked, note.start)) continue;
    const before = last.get(note.key);
    last.set(note.key, note);
    if (!before) continue;
    const between = apart(looked, before.start, note.start);
    if (between > DOUBLED) continue;
    // The softer note goes, or else the shorter; the other is extended to cover it.
    const goes = before.velocity < note.velocity ? before : note;
    const stays = goes === note ? before : note;
    const where = `${keyName(note.key)} at ${placeOf(looked, note.start)}`;
    const words = `${where} is played twice within ${Math.round(between)} ms`;
    const hold = goes.end > stays.end ? { hold: { id: stays.id, to: goes.end } } : {};
    const does = { remove: [goes.id], ...hold };
    doubled.push({ mend: named({ kind: 'doubled', at: note.start, notes: [goes.id], words, does }), stays: stays.id });
  }
  return doubled;
}

/** Notes in trills, flams and other ornaments, which are meant to be short and soft. */
function ornamental({ notes, maps: { tempo } }: Looked): Set<string> {
  const onsets = notes.map((note) => ({ note, at: secondsAt(tempo, note.start), end: secondsAt(tempo, note.end) }));
  const step = ({ note }: { readonly note: Note }): number =>
    secondsAt(tempo, note.start + SIXTEENTH) - secondsAt(tempo, note.start);
  const inFigures = figuresOf(onsets, step, ROLLED).flatMap(({ kind, onsets: own }) =>
    kind && kind !== 'roll' ? own.map((o) => o.note.id) : [],
  );
  const graces = onsets.flatMap(({ note, at, end }, i) => {
    for (let k = i + 1; k < onsets.length && (onsets[k]!.at - at) * 1000 <= GRACE_WITHIN; k += 1) {
      const main = onsets[k]!;
      const [ahead, over] = [(main.at - at) * 1000, (end - main.at) * 1000];
      const isNear = main.note.key !== note.key && Math.abs(main.note.key - note.key) <= GRACE_KEYS;
      const isLonger = main.end - main.at > GRACE_LONGER * (end - at);
      if (isNear && isLonger && ahead >= GRACE_AHEAD && over <= GRACE_OVER) return [note.id];
    }
    return [];
  });
  return new Set([...inFigures, ...graces]);
}
const SIXTEENTH: Ticks = 240;
/** Largest gap within a rolled chord, in seconds. */
const ROLLED = 0.06;

/** Notes that were probably not meant: brushed beside another key, or too short. */
function slight(looked: Looked, known: ReadonlySet<string>): Mend[] {
  const taken = new Set([...known, ...ornamental(looked)]);
  const { tempo } = looked.maps;
  const notes = looked.notes.filter((n) => within(looked, n.start));
  const lengths = notes.map((n) => lengthOf(tempo, n));
  const short = lengths.filter((length) => length < SHORT).length;
  const allShort = short > MANY_SHORT && short * 10 > notes.length;
  const brushedBeside = (note: TreatedNote, i: number): TreatedNote | undefined => {
    if (note.velocity > BRUSHED_VELOCITY || lengths[i]! > BRUSHED_LENGTH) return undefined;
    for (let k = Math.max(0, i - 24); k < Math.min(notes.length, i + 25); k += 1) {
      const other = notes[k]!;
      const beside = Math.abs(other.key - note.key);
      if (beside < 1 || beside > 2 || apart(looked, other.start, note.start) > BRUSHED_WITHIN) continue;
      if (other.velocity * BRUSHED_SHARE >= note.velocity && lengths[k]! > lengths[i]!) return other;
    }
    return undefined;
  };
  return notes.flatMap((note, i): Mend[] => {
    if (taken.has(note.id)) return [];
    const where = `${keyName(note.key)} at ${placeOf(looked, note.start)}`;
    const about = { at: note.start, notes: [note.id], does: { remove: [note.id] } };
    const other = brushedBeside(note, i);
    if (other) return [named({ kind: 'brushed', ...about, words: `${where} is brushed beside ${keyName(other.key)}` })];
    if (lengths[i]! >= SHORT || allShort) return [];
    return [named({ kind: 'short', ...about, words: `${where} lasts ${Math.round(lengths[i]!)} ms` })];
  });
}

/** Changes of the chord in the range. */
interface Change {
  readonly before: Chord;
  readonly chord: Chord;
}

const changesOf = (looked: Looked, taken: ReadonlySet<string>): Change[] =>
  chordsOf(looked.notes.filter((n) => !taken.has(n.id))).flatMap((chord, i, chords) => {
    const before = chords[i - 1];
    return before && within(looked, chord.at) && differ(before, chord) ? [{ before, chord }] : [];
  });

/** Notes held over a change of the chord. */
function hangingOver(looked: Looked, { before, chord }: Change, taken: ReadonlySet<string>): Mend[] {
  const { tempo } = looked.maps;
  const over = tickAt(tempo, secondsAt(tempo, chord.at) + OVER_CHORD / 1000);
  const own = new Set(chord.notes.map((n) => n.key));
  // A single held note is an oversight; most of the chord held is a suspension or a pedal point.
  const hanging = before.notes.filter((n) => n.end > over && !own.has(n.key) && !taken.has(n.id));
  const highest = Math.max(...own);
  const inChord = classes(chord.notes);
  const meant = hanging.filter((n) => !inChord.has(n.key % 12) && n.key <= highest + 12);
  if (meant.length === 0 || meant.length * 2 > before.notes.length) return [];
  const keys = meant.map((n) => keyName(n.key)).join(', ');
  const words = `${keys} hang${meant.length === 1 ? 's' : ''} over the chord change at ${placeOf(looked, chord.at)}`;
  const notes = meant.map((n) => n.id);
  return [named({ kind: 'hanging', at: chord.at, notes, words, does: { end: notes, at: chord.at } })];
}

/** Changes of the chord during which one press of the pedal stays down. */
function blurredBy(looked: Looked, changes: readonly Change[], press: TickRange): Mend[] {
  return changes.flatMap(({ before, chord }): Mend[] => {
    if (chord.at <= press.from + CHORD || chord.at >= press.to - CHORD) return [];
    // Only notes that this press caught can blur; a pedal changed a little late is good playing.
    const caught = before.at > press.from - CHORD || before.notes.some((n) => n.end > press.from + CHORD);
    if (!caught || apart(looked, press.to, chord.at) < LATE_CHANGE || !clash(before, chord)) return [];
    const words = `the pedal stays down over the chord change at ${placeOf(looked, chord.at)}`;
    const notes = chord.notes.map((n) => n.id);
    return [{ id: `blurred ${chord.at}`, kind: 'blurred', at: chord.at, notes, words, does: { lift: chord.at } }];
  });
}

/** Notes of a whole line that sound a key twice at once, with the edits that delete the softer ones. */
export const doubledIn = ({ notes }: Shown['line'], maps: SongMaps): Mend[] =>
  doubledOf({ notes, range: { from: -Infinity, to: Infinity }, maps }).map((d) => d.mend);

/** Faults of a line in a range. The line is not changed. */
export function mendsIn({ line }: Pick<Shown, 'line'>, range: TickRange, maps: SongMaps): Mend[] {
  const looked: Looked = { notes: line.notes, range, maps };
  const doubled = doubledOf(looked);
  const taken = new Set(doubled.flatMap(({ mend, stays }) => [...mend.notes, stays]));
  const hardlyMeant = slight(looked, taken);
  for (const { notes } of hardlyMeant) taken.add(notes[0]!);
  const changes = changesOf(looked, taken);
  const hanging: Mend[] = [];
  for (const change of changes) {
    const found = hangingOver(looked, change, taken);
    for (const { notes } of found) notes.forEach((id) => taken.add(id));
    hanging.push(...found);
  }
  const blurred = pedalBars(pointsOf(line.controls, PEDAL), range.to).flatMap((press) =>
    blurredBy(looked, changes, press),
  );
  return [...doubled.map((d) => d.mend), ...hardlyMeant, ...hanging, ...blurred].sort((a, b) => a.at - b.at);
}

/** Time after the chord at which the pedal goes down again. */
const DOWN_AGAIN: Ticks = 150;

/** Notes that a repair deletes or shortens. */
function touchedBy(does: Mend['does']): readonly string[] {
  if ('remove' in does) return does.hold ? [...does.remove, does.hold.id] : does.remove;
  return 'end' in does ? does.end : [];
}

/** Edits of some repairs. */
export function takeMends(mends: readonly Mend[], part: Part, shown: Shown): TakeEdits[] {
  const wanted = new Set(mends.flatMap(({ does }) => touchedBy(does)));
  const byId = new Map(shown.line.notes.filter((n) => wanted.has(n.id)).map((n) => [n.id, n]));
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
