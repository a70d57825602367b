import { enablePatches, type Patch } from 'immer';
import type { SongDocument } from '../document/document';

// Making and applying patches both need immer's patches.
enablePatches();

/** Lists of things that have settings of their own, which Undo steps over. */
const LISTS = ['parts', 'backings', 'clientNotes'] as const;
type List = (typeof LISTS)[number];
type Item = { readonly id: string } & Readonly<Record<string, unknown>>;

/** Last path element of a patch that gives a list's items and their order, and not their content. */
const BY_ID = 'by id';

/** Ids of a list's items in order, with the items that are added. */
interface ById {
  readonly order: readonly string[];
  readonly added: readonly Item[];
}

/** Test for patches that replace whole items of a list, or reorder it. */
const movesThings = (patches: readonly Patch[], list: List): boolean =>
  patches.some(({ op, path }) => path[0] === list && (path.length === 1 || (path.length === 2 && op !== 'add')));

/** Patches between two states of a list: its items first, then changes in those that stay. */
function between(list: List, before: readonly Item[], after: readonly Item[]): Patch[] {
  const known = new Map(before.map((item) => [item.id, item]));
  const value: ById = { order: after.map((item) => item.id), added: after.filter((item) => !known.has(item.id)) };
  const changed = after.flatMap((item, i): Patch[] => {
    const was = known.get(item.id);
    if (!was || was === item) return [];
    return Object.keys({ ...was, ...item })
      .filter((field) => was[field] !== item[field])
      .map((field) => ({ op: 'replace', path: [list, i, field], value: item[field] }));
  });
  return [{ op: 'replace', path: [list, BY_ID], value }, ...changed];
}

const itemsOf = (document: SongDocument, list: List): readonly Item[] => document[list] as unknown as readonly Item[];

/**
 * Patches of a change, with whole parts or backings given by id. Otherwise undo would restore the names and levels that
 * they had then.
 * @param patches by immer, from the one document to the other
 */
export function withListsById(patches: readonly Patch[], before: SongDocument, after: SongDocument): readonly Patch[] {
  return LISTS.reduce((all, list) => {
    if (!movesThings(all, list)) return all;
    const others = all.filter(({ path }) => path[0] !== list);
    return [...others, ...between(list, itemsOf(before, list), itemsOf(after, list))];
  }, patches);
}

/** List of a patch by id; undefined for other patches. */
export const listById = ({ path }: Patch): List | undefined =>
  path.length === 2 && path[1] === BY_ID ? LISTS.find((list) => list === path[0]) : undefined;

/** Applies a patch by id to a list: items that stay keep their present content. @throws TypeError for another patch */
export function applyById(document: SongDocument, list: List, { value }: Patch): SongDocument {
  const { order, added } = value as Partial<ById>;
  if (!Array.isArray(order) || !Array.isArray(added))
    throw new TypeError('A patch by id has an order and what is new.');
  const all = new Map([...added, ...itemsOf(document, list)].map((item) => [(item as Item).id, item as Item]));
  return { ...document, [list]: order.flatMap((id: string) => all.get(id) ?? []) };
}
