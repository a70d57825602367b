import { applyPatches, type Patch } from 'immer';
import { z } from 'zod';
import { songSchema, type SongDocument } from '../document/document';
import { applyById, listById } from './listPatches';

export type { Patch } from 'immer';

/** Patches of a change, for redo and undo. */
export interface Change {
  readonly document: SongDocument;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

const DEEPEST = 24;
/** Upper bound of any index in a song's lists. */
const LONGEST_LIST = 1_000_000;
const place = z.union([
  z
    .string()
    .max(200)
    .refine((name) => name !== '__proto__' && name !== 'constructor' && name !== 'prototype'),
  z.number().int().min(0).max(LONGEST_LIST),
]);
/** Schema of a patch. It can shorten a list, and cannot make it endless. */
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
/** Schema of a change's patches. */
export const patchesSchema = z.array(patchSchema).max(100_000) as unknown as z.ZodType<Patch[]>;

/** Song after patches. @throws ZodError where the result is not a valid song */
export function patched(document: SongDocument, patches: readonly Patch[]): SongDocument {
  // Patches by id come first, as the others give places in the lists that result.
  const lists = patches.filter((p) => listById(p) !== undefined);
  const listed = lists.reduce((now, patch) => applyById(now, listById(patch)!, patch), document);
  const others = patches.filter((p) => listById(p) === undefined);
  return songSchema.parse(applyPatches(listed, others));
}

/** Stored row of a song's history. */
export interface HistoryRow {
  readonly revision: number;
  /** Id of the change; null for rows of an older version. */
  readonly id: string | null;
  /** Kind of the row. A `set` is a setting, which is visible where it is set and skipped by Undo. */
  readonly kind: 'do' | 'set' | 'undo' | 'redo';
  readonly name: string;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

/** Undo and redo stacks. */
export interface Stacks<Row = HistoryRow> {
  /** Rows that can be undone, the latest last. */
  readonly done: readonly Row[];
  /** Rows that can be redone, the next one last. */
  readonly undone: readonly Row[];
}

export const NO_HISTORY: Stacks<never> = { done: [], undone: [] };

type Kinds = Pick<HistoryRow, 'kind'>;

/** Stacks after one more row. A new change clears the redo stack. */
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

/** Stacks after a whole history: `afterRow` for every row, in one go. */
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
