import type { Note } from '../performance/notes';
import { barAt, barStart } from '../time/meter';
import { tickAt } from '../time/tempo';
import { inRange, type Seconds, type TickRange } from '../time/units';
import { feelOf, type Feel } from './feel';
import { gridStep, type Grid } from './grid';
import type { Clock } from './lattice';
import { linedUp } from './unitLines';

/**
 * The feel of what was played: how late and how loud each place of the bar is, against the lines of a grid.
 * @param notes by start, as they were played
 * @returns null where nothing was struck in the range
 */
export function feelOfNotes(
  name: string,
  notes: readonly Note[],
  grid: Grid,
  clock: Clock,
  range: TickRange,
): Feel | null {
  const own = notes.filter((n) => inRange(n.start + gridStep(grid) / 2, { from: range.from, to: range.to }));
  const { units, lattice } = linedUp(
    own,
    { grid, lines: 'phrase', strength: 1, ends: 'keep length', chord: 60 },
    clock,
    range,
  );
  const struck = units.map((unit) => ({
    line: lattice.tick[unit.line]!,
    ms: (unit.at - lattice.seconds[unit.line]!) * 1000,
    velocity: unit.notes.reduce((sum, n) => sum + n.velocity, 0) / unit.notes.length,
  }));
  return feelOf(name, struck, clock.meter);
}

/** Velocity that a stroke in recorded sound stands for, by how far it stands out. */
const [SOFT, RANGE] = [40, 70];

/**
 * The feel of the strokes of a recording.
 * @param strokes by time, on the song's clock
 */
export function feelOfStrokes(
  name: string,
  strokes: readonly { readonly at: Seconds; readonly strength: number }[],
  grid: Grid,
  clock: Clock,
  range: TickRange,
): Feel | null {
  const loudest = strokes.reduce((most, s) => Math.max(most, s.strength), 1);
  const notes = strokes.map(({ at, strength }, i): Note => {
    const start = tickAt(clock.tempo, at);
    const velocity = Math.round(SOFT + (RANGE * strength) / loudest);
    return { id: `stroke:${i}`, key: 36 + (i % 24), velocity, release: 64, start, end: start + 60 };
  });
  return feelOfNotes(name, notes, grid, clock, range);
}

/** The whole bars that a range touches: a feel is taken from those. */
export const wholeBars = ({ from, to }: TickRange, { meter }: Clock): TickRange => ({
  from: barStart(meter, barAt(meter, from)),
  to: barStart(meter, barAt(meter, to - 1) + 1),
});
