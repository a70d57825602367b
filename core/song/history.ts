import { applyPatches, type Patch } from 'immer';
import { z } from 'zod';
import { songSchema, type SongDocument } from '../document/document';
import { applyById, listById } from './listPatches';

export type { Patch } from 'immer';

/** Patches of a change, both ways. */
export interface Change {
  readonly document: SongDocument;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

const DEEPEST = 24;
/** The longest list in a song, with room: a place beyond it is none. */
const LONGEST_LIST = 1_000_000;
const place = z.union([
  z
    .string()
    .max(200)
    .refine((name) => name !== '__proto__' && name !== 'constructor' && name !== 'prototype'),
  z.number().int().min(0).max(LONGEST_LIST),
]);
/** Schema of a patch. A list can be cut to a length, and not made endless by one. */
const patchSchema = z
  .object({
    op: z.enum(['replace', 'remove', 'add']),
    path: z.array(place).max(DEEPEST),
    value: z.unknown().optional(),
  })
  .refine(
    ({ path, value }) =>
      path.at(-1) !== 'length' || (Number.isInteger(value) && Number(value) >= 0 && Number(value) <= LONGEST_LIST),
    'no list is as long as that',
  );
/** The patches of one change. */
export const patchesSchema = z.array(patchSchema).max(100_000) as unknown as z.ZodType<Patch[]>;

/** The song with patches applied. @throws ZodError when the outcome is not a song */
export function patched(document: SongDocument, patches: readonly Patch[]): SongDocument {
  // Those by id first: what else changed in a list is said by the places that it has afterwards.
  const lists = patches.filter((p) => listById(p) !== undefined);
  const listed = lists.reduce((now, patch) => applyById(now, listById(patch)!, patch), document);
  const others = patches.filter((p) => listById(p) === undefined);
  return songSchema.parse(applyPatches(listed, others));
}

/** One row of a song's history, as stored. */
export interface HistoryRow {
  readonly revision: number;
  /** The change's own name; null for what an older version stored. */
  readonly id: string | null;
  /** A `set` is a setting: visible where it is set, and not what Undo takes back. */
  readonly kind: 'do' | 'set' | 'undo' | 'redo';
  readonly name: string;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

/** Stacks of what undo and redo would do next. */
export interface Stacks<Row = HistoryRow> {
  /** Undoable, the latest last. */
  readonly done: readonly Row[];
  /** Redoable, the next last. */
  readonly undone: readonly Row[];
}

export const NO_HISTORY: Stacks<never> = { done: [], undone: [] };

type Kinds = Pick<HistoryRow, 'kind'>;

/** Stacks after one more row. A new change forgets what was undone. */
export function afterRow<Row extends Kinds>({ done, undone }: Stacks<Row>, row: Row): Stacks<Row> {
  switch (row.kind) {
    case 'do':
      return { done: [...done, row], undone: [] };
    case 'undo':
      return { done: done.slice(0, -1), undone: [...undone, ...done.slice(-1)] };
    case 'redo':
      return { done: [...done, ...undone.slice(-1)], undone: undone.slice(0, -1) };
    case 'set':
      return { done, undone };
  }
}

/** Replays the history into what can be undone and redone now: `afterRow` for every row, in one go. */
export function stacksOf<Row extends Kinds>(history: readonly Row[]): Stacks<Row> {
  const done: Row[] = [];
  const undone: Row[] = [];
  for (const row of history) {
    switch (row.kind) {
      case 'do':
        done.push(row);
        undone.length = 0;
        break;
      case 'undo':
        undone.push(...done.splice(-1));
        break;
      case 'redo':
        done.push(...undone.splice(-1));
        break;
      case 'set':
    }
  }
  return { done, undone };
}
