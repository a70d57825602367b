import type { Note } from '../performance/notes';
import type { Lattice } from './lattice';
import type { Lined, Unit } from './lined';
import type { Doubt } from './phrase';

/** The lines of notes on their way back from a worker, in columns. */
export interface LineColumns {
  readonly lattice: Lattice;
  /** How sure each strike is of its line; null where each was put to its nearest. */
  readonly doubt: Doubt | null;
  /** By unit. */
  readonly at: Float64Array;
  readonly line: Int32Array;
  readonly stays: Uint8Array;
  readonly decided: Uint8Array;
  /** Where each unit's notes begin, and where the last one's end; their places in the list that was sent. */
  readonly firstNote: Int32Array;
  readonly notes: Int32Array;
  /** The same of its strikes. */
  readonly firstStrike: Int32Array;
  readonly strikes: Int32Array;
}

/** Lists in one column, and where each begins. */
function oneAfterAnother(lists: readonly (readonly number[])[]): readonly [first: Int32Array, all: Int32Array] {
  const first = new Int32Array(lists.length + 1);
  lists.forEach((list, i) => (first[i + 1] = first[i]! + list.length));
  return [first, Int32Array.from(lists.flat())];
}

/**
 * Lines in columns, with how sure they are: that is worked out here.
 * @param notes that they were found for
 */
export function lineColumns({ lattice, units, doubt }: Lined, notes: readonly Note[]): LineColumns {
  const place = new Map(notes.map((note, i) => [note, i]));
  const [firstNote, own] = oneAfterAnother(units.map((u) => u.notes.map((n) => place.get(n)!)));
  const [firstStrike, strikes] = oneAfterAnother(units.map((u) => u.strikes));
  return {
    lattice,
    doubt: doubt?.() ?? null,
    at: Float64Array.from(units, (u) => u.at),
    line: Int32Array.from(units, (u) => u.line),
    stays: Uint8Array.from(units, (u) => Number(u.stays)),
    decided: Uint8Array.from(units, (u) => Number(u.decided)),
    firstNote,
    notes: own,
    firstStrike,
    strikes,
  };
}

/** @param notes those that were sent, in their order */
export function readLines(columns: LineColumns, notes: readonly Note[]): Lined {
  const { lattice, doubt, at, line, stays, decided, firstNote, firstStrike } = columns;
  const units: Unit[] = [];
  // Written out: this is what the page does, while the hand is on a slider.
  for (let i = 0; i < at.length; i += 1) {
    const own: Note[] = [];
    for (let n = firstNote[i]!; n < firstNote[i + 1]!; n += 1) own.push(notes[columns.notes[n]!]!);
    const strikes: number[] = [];
    for (let s = firstStrike[i]!; s < firstStrike[i + 1]!; s += 1) strikes.push(columns.strikes[s]!);
    const [isStaying, isDecided] = [stays[i] === 1, decided[i] === 1];
    units.push({ notes: own, at: at[i]!, line: line[i]!, stays: isStaying, decided: isDecided, strikes });
  }
  return { lattice, units, doubt: doubt && (() => doubt) };
}
