import type { Note, Reading } from '../performance/notes';
import { secondsAt } from '../time/tempo';
import { inRange, type Milliseconds, type TickRange, type Ticks } from '../time/units';
import { median, slowDrift } from './drift';
import type { Struck } from './feel';
import type { Grid } from './grid';
import type { Clock } from './lattice';
import type { Treatment } from './laying';
import { linedUp, NOTHING_DECIDED, type Decided } from './lined';
import { inBarOf } from './moves';
import { recipeOf, type Recipe } from './recipe';
import { notesOfEach, type TreatedReading } from './treatment';

/** How a strike lies against its line. */
export interface Lateness extends Struck {
  readonly note: Note;
  /** Where its line is written in its bar. */
  readonly inBar: Ticks;
  /** As it was played, and as it lies now: later than the line where it is more than 0. */
  readonly ms: Milliseconds;
  readonly now: Milliseconds;
  /** The slow part of it. */
  readonly drift: Milliseconds;
}

/** What a part is held against where no treatment says. */
const PLAIN: Recipe = { grid: '16 straight', lines: 'phrase', strength: 0, ends: 'keep length', chord: 60 };

/**
 * How early or late strikes of a stretch were, and are now.
 * @param grid what they are held against where no treatment is; those that are treated are held against its lines
 */
export function latenessOf(
  before: Reading,
  treated: TreatedReading,
  treatments: readonly Treatment[],
  clock: Clock,
  range: TickRange,
  { grid = '16 straight' as Grid, decided = NOTHING_DECIDED as Decided } = {},
): Lateness[] {
  const now = new Map(treated.notes.map((n) => [n.id, n.start]));
  const claimed = new Set<string>();
  const found: Lateness[] = [];
  const add = (notes: readonly Note[], recipe: Recipe, over: TickRange): void => {
    if (notes.length === 0) return;
    const { units, lattice } = linedUp(notes, recipe, clock, over, decided);
    const at = Float64Array.from(units, (u) => u.at);
    const off = Float64Array.from(units, (u) => u.at - lattice.seconds[u.line]!);
    const drift = slowDrift(
      at,
      off,
      units.map((u) => lattice.place[u.line]!),
    );
    units.forEach((unit, i) => {
      const line = lattice.tick[unit.line]!;
      // A chord is one strike: a roll is not late in all its notes.
      const [note] = unit.notes;
      const by = secondsAt(clock.tempo, now.get(note!.id) ?? note!.start) - secondsAt(clock.tempo, note!.start);
      found.push({
        ...{ note: note!, line, inBar: inBarOf(line, clock), velocity: note!.velocity },
        ...{ ms: off[i]! * 1000, now: (off[i]! + by) * 1000, drift: drift[i]! * 1000 },
      });
    });
  };
  for (const [treatment, own] of notesOfEach(before.notes, treatments)) {
    own.forEach((n) => claimed.add(n.id));
    add(own, { ...recipeOf(treatment), lines: treatment.lines ?? 'nearest' }, treatment);
  }
  const rest = treatments.length > 0 ? before.notes.filter((n) => !claimed.has(n.id)) : before.notes;
  const whole = { from: rest[0]?.start ?? 0, to: rest.at(-1)?.start ?? 0 };
  add(rest, { ...PLAIN, grid }, whole);
  return found.filter((l) => inRange(l.note.start, range)).sort((a, b) => a.note.start - b.note.start);
}

/** Middle and spread of how late strikes are. */
export interface LatenessFigures {
  readonly count: number;
  readonly median: Milliseconds;
  /** Half of the strikes lie within so much of the middle. */
  readonly spread: Milliseconds;
}

export function figuresOf(all: readonly Milliseconds[]): LatenessFigures {
  const middle = median(all);
  return { count: all.length, median: middle, spread: median(all.map((ms) => Math.abs(ms - middle))) };
}

/** How many lie in each of so many even steps from `-most` to `most`; what lies beyond is in the outermost. */
export function histogramOf(all: readonly Milliseconds[], most: Milliseconds, steps: number): number[] {
  const counts = Array.from({ length: steps }, () => 0);
  for (const ms of all) {
    const step = Math.floor(((ms + most) / (2 * most)) * steps);
    counts[Math.max(0, Math.min(steps - 1, step))]! += 1;
  }
  return counts;
}
