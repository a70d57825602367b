import type { Note } from '../performance/notes';
import { secondsAt, type TempoMap } from '../time/tempo';
import type { MeterMap } from '../time/meter';
import { inRange, type Milliseconds, type TickRange, type Ticks } from '../time/units';
import { nearestGridPoint, type Grid } from '../timing/grid';
import { CHORD } from './notes';

/** Notes that sound in a range, between two keys. */
export const inFrame = <N extends Note>(notes: readonly N[], range: TickRange, low: number, high: number): N[] =>
  notes.filter((n) => n.start < range.to && n.end > range.from && n.key >= low && n.key <= high);

/** Chord of a note: notes struck together with it. */
export const chordOf = <N extends Note>(notes: readonly N[], note: Note): N[] =>
  notes.filter((n) => Math.abs(n.start - note.start) <= CHORD);

export const ofKey = <N extends Note>(notes: readonly N[], key: number): N[] => notes.filter((n) => n.key === key);

/** Notes of one hand: below the split, or from it on. */
export const ofHand = <N extends Note>(notes: readonly N[], hand: 'left' | 'right', split: number): N[] =>
  notes.filter((n) => (hand === 'left' ? n.key < split : n.key >= split));

export const from = <N extends Note>(notes: readonly N[], at: Ticks): N[] => notes.filter((n) => n.start >= at);

export const struckIn = <N extends Note>(notes: readonly N[], range: TickRange): N[] =>
  notes.filter((n) => inRange(n.start, range));

export const invert = <N extends Note>(notes: readonly N[], chosen: ReadonlySet<string>): N[] =>
  notes.filter((n) => !chosen.has(n.id));

const millisecondsOf = (tempo: TempoMap, from: Ticks, to: Ticks): Milliseconds =>
  (secondsAt(tempo, to) - secondsAt(tempo, from)) * 1000;

export const lengthOf = (tempo: TempoMap, { start, end }: Pick<Note, 'start' | 'end'>): Milliseconds =>
  millisecondsOf(tempo, start, end);

/** Lateness of a note for the nearest line of a grid; early is below 0. */
export const lateness = (tempo: TempoMap, meter: MeterMap, grid: Grid, { start }: Pick<Note, 'start'>): Milliseconds =>
  millisecondsOf(tempo, nearestGridPoint(grid, meter, start), start);

/** Note that the cursor moves to: the next or previous in time, or the nearest key above or below. */
export function neighbour<N extends Note>(
  notes: readonly N[],
  at: Note,
  way: 'next' | 'before' | 'above' | 'below',
): N | undefined {
  if (way === 'next' || way === 'before') {
    const i = notes.findIndex((n) => n.id === at.id);
    return notes[i + (way === 'next' ? 1 : -1)];
  }
  const up = way === 'above';
  const near = notes.filter((n) => (up ? n.key > at.key : n.key < at.key) && Math.abs(n.start - at.start) <= CHORD);
  return near.reduce<N | undefined>((best, n) => {
    if (!best) return n;
    return Math.abs(n.key - at.key) < Math.abs(best.key - at.key) ? n : best;
  }, undefined);
}
