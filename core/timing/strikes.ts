import type { Note } from '../performance/notes';
import { secondsAt, type TempoMap } from '../time/tempo';
import type { Milliseconds, Seconds } from '../time/units';

/** Notes that are struck together. */
export interface Strike {
  /** In the order of the list they came from: by start. */
  readonly notes: readonly Note[];
  /** When the first of them was struck, and the middle of all. */
  readonly first: Seconds;
  readonly at: Seconds;
  /** Whether it can be a grace note: short, and leaning on a strike that follows at once. */
  readonly leans: boolean;
  /** How much it looks like one, 0 to 1: shorter than any note of a rhythm, and than the note it leans on. */
  readonly brief: number;
  /** Whether it can be one more note of a roll that strikes shortly before it began. */
  rolls: boolean;
}

/** Hands that mean one moment are seldom further apart than this, and than a part of the grid's step. */
const TOGETHER: Seconds = 0.03;
const TOGETHER_OF_STEP = 0.25;
/** A grace note is short, and the note it leans on follows at once, a few keys away; a hand may fall between. */
export const GRACE: Seconds = 0.13;
const GRACE_KEYS = 4;
const GRACE_OVER = 3;
/**
 * What looks like a grace note lasts no longer than this, nor than a part of what the shorter notes of its phrase do:
 * where all is short, shortness says nothing. The note it leans on lasts longer. From the first of these lengths to the
 * second it looks like one less and less.
 */
const BRIEF: readonly [Seconds, Seconds] = [0.04, 0.06];
const BRIEF_OF_SHORT = [0.5, 0.65] as const;
const LEANS_ON_LONGER = 1.5;
/** For how much of the shorter one two notes of a roll are down together, and how many keys they are apart at most. */
const DOWN_TOGETHER = 0.5;
const ROLL_KEYS = 14;
/** A note of a roll is held for a good part of what the one before it is. */
const AS_LONG = 0.4;
/** A roll is looked for in so many strikes before: the other hand may fall between. */
const ROLL_BACK = 3;

interface Struck {
  readonly note: Note;
  readonly at: Seconds;
  readonly end: Seconds;
}

/** Whether a note goes on from another as the notes of a rolled chord do: it lies beyond it, and both stay down. */
function goesOn(before: Struck, next: Struck, widest: Seconds): boolean {
  const gap = next.at - before.at;
  const keys = Math.abs(next.note.key - before.note.key);
  if (gap > widest || keys === 0 || keys > ROLL_KEYS) return false;
  const [length, own] = [before.end - before.at, next.end - next.at];
  return own > AS_LONG * length && before.end - next.at > DOWN_TOGETHER * Math.min(length, own);
}

/**
 * Notes as they were struck.
 * @param notes by start
 * @param step the narrowest of the grid where a note is: strikes are one only well within it
 * @param widest between two notes of a rolled chord; 0 for no rolls
 */
export function strikesOf(
  notes: readonly Note[],
  tempo: TempoMap,
  step: (note: Note) => Seconds,
  widest: Milliseconds,
): Strike[] {
  const made: Omit<Strike, 'leans' | 'brief'>[] = [];
  const struck: Struck[][] = [];
  let open: Struck[] = [];
  let together = 0;
  const close = (): void => {
    if (open.length === 0) return;
    const first = open[0]!.at;
    let sum = 0;
    for (const { at } of open) sum += at;
    const rolls = rollsOn(open, struck, widest / 1000);
    made.push({ notes: open.map((s) => s.note), first, at: sum / open.length, rolls });
    struck.push(open);
    open = [];
  };
  for (const note of notes) {
    const next = { note, at: secondsAt(tempo, note.start), end: secondsAt(tempo, note.end) };
    const first = open[0];
    if (!first || next.at - first.at > together || open.some((s) => s.note.key === note.key || s.end <= next.at)) {
      close();
      together = Math.min(TOGETHER, TOGETHER_OF_STEP * step(note));
    }
    open.push(next);
  }
  close();
  const short = shortLength(struck);
  return made.map((strike, i) => {
    const own = struck[i]!;
    let on: Struck | undefined;
    for (let j = i + 1; own.length === 1 && !on && j <= i + GRACE_OVER && j < struck.length; j += 1)
      on = leansOn(own[0]!, struck[j]!);
    return { ...strike, leans: on !== undefined, brief: on ? briefness(own[0]!, on, short) : 0 };
  });
}

function rollsOn(next: readonly Struck[], before: readonly (readonly Struck[])[], widest: Seconds): boolean {
  if (widest <= 0) return false;
  for (let i = before.length - 1; i >= Math.max(0, before.length - ROLL_BACK); i -= 1)
    if (next.every((n) => before[i]!.some((b) => goesOn(b, n, widest)))) return true;
  return false;
}

/** What a note can lean on. */
function leansOn({ note, at, end }: Struck, next: readonly Struck[]): Struck | undefined {
  const gap = next[0]!.at - at;
  if (gap > GRACE || end - at > GRACE || end - at > 1.7 * gap) return undefined;
  return next.find((n) => n.note.key !== note.key && Math.abs(n.note.key - note.key) <= GRACE_KEYS);
}

/** What the shorter notes of a phrase last: a quarter of them is shorter. */
function shortLength(struck: readonly (readonly Struck[])[]): Seconds {
  const all = struck.flatMap((s) => s.map((n) => n.end - n.at)).sort((a, b) => a - b);
  return all[all.length >> 2] ?? 0;
}

function briefness(grace: Struck, on: Struck, short: Seconds): number {
  const length = grace.end - grace.at;
  if (on.end - on.at < LEANS_ON_LONGER * length) return 0;
  const [least, most] = [Math.min(BRIEF[0], BRIEF_OF_SHORT[0] * short), Math.min(BRIEF[1], BRIEF_OF_SHORT[1] * short)];
  return most > least ? Math.max(0, Math.min(1, (most - length) / (most - least))) : 0;
}
