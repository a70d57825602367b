import type { Note } from '../performance/notes';
import type { Lattice } from './lattice';
import { linedOf, type Lined, type Unit } from './unitLines';
import { FIGURES } from './figures';
import type { Doubt } from './phrase';

/** The lines of notes on their way back from a worker, in columns. */
export interface LineColumns {
  readonly lattice: Lattice;
  /** Sureness of each note's line; null where each was put to its nearest. */
  readonly doubt: Doubt | null;
  /** Lateness of each unit by slow drift; null where it is not needed. */
  readonly drift: Float64Array | null;
  /** Time of each unit. */
  readonly at: Float64Array;
  readonly middleOf: Int32Array;
  readonly line: Int32Array;
  readonly stays: Uint8Array;
  readonly decided: Uint8Array;
  /** Index in `FIGURES`; -1 where it is none. */
  readonly figure: Int8Array;
  /** Starts of each unit's notes, and the end of the last one's; their places in the list that was sent. */
  readonly firstNote: Int32Array;
  readonly notes: Int32Array;
  /** Starts of each unit's onsets, in the same way. */
  readonly firstOnset: Int32Array;
  readonly onsets: Int32Array;
}

/** Several lists in one column, with the index at which each begins. */
function oneAfterAnother(lists: readonly (readonly number[])[]): readonly [first: Int32Array, all: Int32Array] {
  const first = new Int32Array(lists.length + 1);
  lists.forEach((list, i) => (first[i + 1] = first[i]! + list.length));
  return [first, Int32Array.from(lists.flat())];
}

/**
 * Lines in columns, with the slow results that will be asked for: sureness, and drift.
 * @param notes that they were found for
 * @param withDrift whether that will be asked
 */
export function lineColumns(
  { lattice, units, doubt, drift }: Lined,
  notes: readonly Note[],
  withDrift: boolean,
): LineColumns {
  const place = new Map(notes.map((note, i) => [note, i]));
  const [firstNote, own] = oneAfterAnother(units.map((u) => u.notes.map((n) => place.get(n)!)));
  const [firstOnset, onsets] = oneAfterAnother(units.map((u) => u.onsets));
  return {
    lattice,
    doubt: doubt?.() ?? null,
    drift: withDrift ? drift() : null,
    at: Float64Array.from(units, (u) => u.at),
    middleOf: Int32Array.from(units, (u) => u.middleOf),
    line: Int32Array.from(units, (u) => u.line),
    stays: Uint8Array.from(units, (u) => Number(u.stays)),
    decided: Uint8Array.from(units, (u) => Number(u.decided)),
    figure: Int8Array.from(units, (u) => (u.figure ? FIGURES.indexOf(u.figure) : -1)),
    firstNote,
    notes: own,
    firstOnset,
    onsets,
  };
}

/** @param notes those that were sent, in their order */
export function readLines(columns: LineColumns, notes: readonly Note[]): Lined {
  const { lattice, doubt, drift, at, middleOf, line, stays, decided, figure, firstNote, firstOnset } = columns;
  const units: Unit[] = [];
  // A plain loop, since the page runs it while a slider is dragged.
  for (let i = 0; i < at.length; i += 1) {
    const own: Note[] = [];
    for (let n = firstNote[i]!; n < firstNote[i + 1]!; n += 1) own.push(notes[columns.notes[n]!]!);
    const onsets: number[] = [];
    for (let s = firstOnset[i]!; s < firstOnset[i + 1]!; s += 1) onsets.push(columns.onsets[s]!);
    const unit = {
      notes: own,
      at: at[i]!,
      middleOf: middleOf[i]!,
      line: line[i]!,
      figure: FIGURES[figure[i]!] ?? null,
    };
    units.push(Object.assign(unit, { stays: stays[i] === 1, decided: decided[i] === 1, onsets }));
  }
  return linedOf(units, lattice, doubt && (() => doubt), drift ? () => drift : undefined);
}
