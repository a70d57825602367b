import type { Note } from '../performance/notes';
import { secondsAt, type TempoMap } from '../time/tempo';
import type { Milliseconds, Seconds } from '../time/units';
import { figuresOf, TOGETHER, TOGETHER_OF_STEP, type Figure, type FigureKind } from './figures';
import type { NoteOnset } from './rolledChords';

/** Notes that mean one moment: a chord, or a figure with what is struck along with its anchor. */
export interface Onset {
  /** Notes by start. */
  readonly notes: readonly Note[];
  /** Time at which the first of them was struck. */
  readonly first: Seconds;
  /** The moment that is measured and moved: a figure's anchor, the middle of a loose chord. */
  readonly at: Seconds;
  /** The number of notes that `at` is the middle of. */
  readonly middleOf: number;
  readonly figure: FigureKind | null;
  /** True where it can be a grace note: short, and leaning on an onset that follows at once. */
  readonly leans: boolean;
  /** Likeness to one, 0 to 1: shorter than any note of a rhythm, and than the note it leans on. */
  readonly brief: number;
  /** True where it can be one more note of a roll, by the onsets shortly before it. */
  rolls: boolean;
}

/** A grace note is short, and the note it leans on follows at once, a few keys away; a hand may fall between. */
export const GRACE: Seconds = 0.13;
const GRACE_KEYS = 4;
const GRACE_OVER = 3;
/**
 * Lengths between which a note looks less and less like a grace note, in seconds and as a share of the phrase's shorter
 * notes: where all is short, shortness says nothing. The note it leans on lasts longer.
 */
const BRIEF: readonly [Seconds, Seconds] = [0.04, 0.06];
const BRIEF_OF_SHORT = [0.5, 0.65] as const;
const LEANS_ON_LONGER = 1.5;
const BRIEF_ENOUGH = 0.5;
/** The least share of the shorter note for which two notes of a roll sound together, and the most keys between them. */
const DOWN_TOGETHER = 0.5;
const ROLL_KEYS = 14;
/** A note of a roll is held for a good part of what the one before it is. */
const AS_LONG = 0.4;
/** Number of onsets before that a roll can go on from: the other hand may fall between. */
const ROLL_BACK = 3;

/**
 * Test for a note that goes on from another as the notes of a rolled chord do: it lies beyond it, and both stay down.
 */
function goesOn(before: NoteOnset, next: NoteOnset, widest: Seconds): boolean {
  const gap = next.at - before.at;
  const keys = Math.abs(next.note.key - before.note.key);
  if (gap > widest || keys === 0 || keys > ROLL_KEYS) return false;
  const [length, own] = [before.end - before.at, next.end - next.at];
  return own > AS_LONG * length && before.end - next.at > DOWN_TOGETHER * Math.min(length, own);
}

/** Thing that goes to one line: a note, or a figure by its anchor. */
interface Sounding {
  readonly onsets: readonly NoteOnset[];
  readonly figure: FigureKind | null;
  readonly at: Seconds;
  readonly middleOf: number;
  readonly anchor: NoteOnset;
}

const soundingOf = ({ kind, onsets, anchor }: Figure): Sounding =>
  kind
    ? { onsets, figure: kind, at: anchor.at, middleOf: 1, anchor }
    : { onsets, figure: null, at: mean(onsets.map((o) => o.at)), middleOf: onsets.length, anchor };

const mean = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0) / values.length;

/** Notes and figures by the moment that they mean. */
function soundingsOf(onsets: readonly NoteOnset[], step: (onset: NoteOnset) => Seconds, widest: Seconds): Sounding[] {
  const figures = widest > 0 ? figuresOf(onsets, step, widest) : [];
  const taken = new Set(figures.flatMap((f) => f.onsets));
  const single = onsets.flatMap((o): Sounding[] =>
    taken.has(o) ? [] : [{ onsets: [o], figure: null, at: o.at, middleOf: 1, anchor: o }],
  );
  return [...figures.map(soundingOf), ...single].sort((a, b) => a.at - b.at);
}

/** Joins what falls together into one onset. */
function onsetOf(all: readonly Sounding[]): Omit<Onset, 'leans' | 'brief' | 'rolls'> {
  // A chord of one hand may be struck with the beginning of a figure of the other: the figure says where.
  const figure = all.find((s) => s.figure !== null);
  const told = figure ? all.filter((s) => s.figure !== null) : all;
  const middleOf = told.reduce((n, s) => n + s.middleOf, 0);
  const onsets = all.flatMap((s) => s.onsets).sort((a, b) => a.at - b.at);
  return {
    notes: onsets.map((o) => o.note),
    first: onsets[0]!.at,
    at: told.reduce((sum, s) => sum + s.at * s.middleOf, 0) / middleOf,
    middleOf,
    figure: figure?.figure ?? null,
  };
}

/**
 * Notes as they were struck.
 * @param notes by start
 * @param step the narrowest of the grid where a note is: onsets are one only well within it
 * @param widest between two notes of a rolled chord; 0 for no rolls and no other figures
 */
export function onsetsOf(
  notes: readonly Note[],
  tempo: TempoMap,
  step: (note: Note) => Seconds,
  widest: Milliseconds,
): Onset[] {
  const made: Omit<Onset, 'leans' | 'brief'>[] = [];
  const struck: NoteOnset[][] = [];
  const all = notes.map((note) => ({ note, at: secondsAt(tempo, note.start), end: secondsAt(tempo, note.end) }));
  let open: Sounding[] = [];
  let together = 0;
  const close = (): void => {
    if (open.length === 0) return;
    // Notes that a roll may go on from, or a grace note lean on: of a trill its first.
    const own = open.flatMap((s) => (s.figure === null || s.figure === 'roll' ? s.onsets : [s.anchor]));
    const rolls = open.every((s) => s.figure === null) && rollsOn(own, struck, widest / 1000);
    made.push({ ...onsetOf(open), rolls });
    struck.push(own);
    open = [];
  };
  for (const next of soundingsOf(all, (o) => step(o.note), widest / 1000)) {
    const first = open[0];
    const meets = (s: Sounding): boolean =>
      s.anchor.end <= next.at || s.onsets.some((a) => next.onsets.some((b) => a.note.key === b.note.key));
    if (!first || next.at - first.at > together || open.some(meets)) {
      close();
      together = Math.min(TOGETHER, TOGETHER_OF_STEP * step(next.anchor.note));
    }
    open.push(next);
  }
  close();
  const short = shortLength(struck);
  return made.map((onset, i) => {
    const own = struck[i]!;
    let on: NoteOnset | undefined;
    const isAlone = onset.notes.length === 1;
    for (let j = i + 1; isAlone && !on && j <= i + GRACE_OVER && j < struck.length; j += 1)
      on = leansOn(own[0]!, struck[j]!);
    const brief = on ? briefness(own[0]!, on, short) : 0;
    // A note that looks like a grace note to what follows does not go on a roll.
    return { ...onset, rolls: onset.rolls && brief < BRIEF_ENOUGH, leans: on !== undefined, brief };
  });
}

function rollsOn(next: readonly NoteOnset[], before: readonly (readonly NoteOnset[])[], widest: Seconds): boolean {
  if (widest <= 0) return false;
  for (let i = before.length - 1; i >= Math.max(0, before.length - ROLL_BACK); i -= 1)
    if (next.every((n) => before[i]!.some((b) => goesOn(b, n, widest)))) return true;
  return false;
}

/** Note that a note can lean on. */
function leansOn({ note, at, end }: NoteOnset, next: readonly NoteOnset[]): NoteOnset | undefined {
  const gap = next[0]!.at - at;
  if (gap > GRACE || end - at > GRACE || end - at > 1.7 * gap) return undefined;
  return next.find((n) => n.note.key !== note.key && Math.abs(n.note.key - note.key) <= GRACE_KEYS);
}

/** Length of the shorter notes of a phrase: a quarter of them is shorter. */
function shortLength(struck: readonly (readonly NoteOnset[])[]): Seconds {
  const all = struck.flatMap((s) => s.map((n) => n.end - n.at)).sort((a, b) => a - b);
  return all[all.length >> 2] ?? 0;
}

function briefness(grace: NoteOnset, on: NoteOnset, short: Seconds): number {
  const length = grace.end - grace.at;
  if (on.end - on.at < LEANS_ON_LONGER * length) return 0;
  const [least, most] = [Math.min(BRIEF[0], BRIEF_OF_SHORT[0] * short), Math.min(BRIEF[1], BRIEF_OF_SHORT[1] * short)];
  return most > least ? Math.max(0, Math.min(1, (most - length) / (most - least))) : 0;
}
