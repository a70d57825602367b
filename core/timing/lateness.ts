import { median } from '../numbers';
import type { Note, Reading } from '../performance/notes';
import { secondsAt } from '../time/tempo';
import { inRange, type Milliseconds, type TickRange, type Ticks } from '../time/units';
import type { Struck } from './feel';
import type { Grid } from './grid';
import type { Clock } from './lattice';
import type { Treatment } from './treatments';
import { linedUp, NOTHING_DECIDED, type Decided } from './unitLines';
import { inBarOf, lateness } from './unitMoves';
import { recipeOf, type Recipe } from './recipe';
import { notesOfEach, type TreatedReading } from './treatment';

/** Lateness of a note against its line. */
export interface Lateness extends Struck {
  readonly note: Note;
  /** Place in its bar where its line is written. */
  readonly inBar: Ticks;
  /** Lateness as played and as it lies now; negative is early. */
  readonly ms: Milliseconds;
  readonly now: Milliseconds;
  /** Part of the lateness that is slow drift. */
  readonly drift: Milliseconds;
}

/** Recipe that lateness is measured by where no treatment covers the notes. */
const PLAIN: Recipe = { grid: '16 straight', lines: 'phrase', strength: 0, ends: 'keep length', chord: 60 };

/** Notes whose lateness is measured against the lines of one recipe. */
export interface HeldAgainst {
  readonly notes: readonly Note[];
  readonly recipe: Recipe;
  readonly over: TickRange;
}

/**
 * Groups of a part's notes with the recipe whose lines they are measured against: their treatment's, where they have
 * one.
 * @param grid the grid for notes without a treatment
 */
export function heldAgainst(
  { notes }: Reading,
  treatments: readonly Treatment[],
  grid: Grid = '16 straight',
): HeldAgainst[] {
  const claimed = new Set<Note>();
  const all = notesOfEach(notes, treatments).map(([treatment, own]): HeldAgainst => {
    own.forEach((n) => claimed.add(n));
    return { notes: own, recipe: { ...recipeOf(treatment), lines: treatment.lines ?? 'nearest' }, over: treatment };
  });
  const rest = treatments.length > 0 ? notes.filter((n) => !claimed.has(n)) : notes;
  const over = { from: rest[0]?.start ?? 0, to: rest.at(-1)?.start ?? 0 };
  return [...all, { notes: rest, recipe: { ...PLAIN, grid }, over }].filter((g) => g.notes.length > 0);
}

/** Lateness without where notes lie now, which changes with each move of a slider and is worked out quickly. */
export type LateAsPlayed = Omit<Lateness, 'now'>;

/** Lateness of notes as they were played, in the order of the groups. What takes long in it is finding the lines. */
export function lateAsPlayed(groups: readonly HeldAgainst[], clock: Clock, decided = NOTHING_DECIDED): LateAsPlayed[] {
  return groups.flatMap(({ notes, recipe, over }) => {
    const lined = linedUp(notes, recipe, clock, over, decided);
    const { units, lattice } = lined;
    const drift = lined.drift();
    return units.map((unit, i): LateAsPlayed => {
      const line = lattice.tick[unit.line]!;
      // A chord is one onset: a roll is not late in all its notes.
      const note = unit.notes[0]!;
      return {
        ...{ note, line, inBar: inBarOf(line, clock), velocity: note.velocity },
        ...{ ms: lateness(unit, lattice), drift: drift[i]! * 1000 },
      };
    });
  });
}

/** Lateness of a range's notes, with where they lie now, by time. */
export function lateNow(
  all: readonly LateAsPlayed[],
  { notes }: TreatedReading,
  { tempo }: Pick<Clock, 'tempo'>,
  range: TickRange,
): Lateness[] {
  const now = new Map(notes.map((n) => [n.id, n.start]));
  return all
    .filter((l) => inRange(l.note.start, range))
    .map((l): Lateness => {
      const { id, start } = l.note;
      return { ...l, now: l.ms + (secondsAt(tempo, now.get(id) ?? start) - secondsAt(tempo, start)) * 1000 };
    })
    .sort((a, b) => a.note.start - b.note.start);
}

/** Lateness of a range's notes, as they were and are now. */
export const latenessOf = (
  before: Reading,
  treated: TreatedReading,
  treatments: readonly Treatment[],
  clock: Clock,
  range: TickRange,
  decided: Decided = NOTHING_DECIDED,
): Lateness[] => lateNow(lateAsPlayed(heldAgainst(before, treatments), clock, decided), treated, clock, range);

/** Median lateness of a part, and its spread. */
export interface LatenessFigures {
  readonly count: number;
  readonly median: Milliseconds;
  /** Half of the onsets lie within this of the median. */
  readonly spread: Milliseconds;
}

export function figuresOf(all: readonly Milliseconds[]): LatenessFigures {
  const middle = median(all);
  return { count: all.length, median: middle, spread: median(all.map((ms) => Math.abs(ms - middle))) };
}

/** Number of values in each of so many even steps from `-most` to `most`; what lies beyond is in the outermost. */
export function histogramOf(all: readonly Milliseconds[], most: Milliseconds, steps: number): number[] {
  const counts = Array.from({ length: steps }, () => 0);
  for (const ms of all) {
    const step = Math.floor(((ms + most) / (2 * most)) * steps);
    counts[Math.max(0, Math.min(steps - 1, step))]! += 1;
  }
  return counts;
}

/** The least difference of drift over a part that counts. Below it the hand is off by the same throughout. */
const EVEN_DRIFT: Milliseconds = 0.5;

/**
 * True where a hand drifts, as far as its notes tell: where they are few or loose, drift cannot be told
 * from looseness, and steadying moves all of them alike.
 */
export function isDriftTold(all: readonly Pick<Lateness, 'drift'>[]): boolean {
  const drifts = all.map((l) => l.drift);
  const [least, most] = drifts.reduce(([a, b], d) => [Math.min(a, d), Math.max(b, d)], [Infinity, -Infinity]);
  return most - least >= EVEN_DRIFT;
}
