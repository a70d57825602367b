import { enablePatches, type Patch } from 'immer';
import type { SongDocument } from '../document/document';

// Both ways of a change need them: making its patches, and applying them.
enablePatches();

/** The song's lists of things that have settings of their own, which Undo steps over. */
const LISTS = ['parts', 'backings', 'clientNotes'] as const;
type List = (typeof LISTS)[number];
type Item = { readonly id: string } & Readonly<Record<string, unknown>>;

/** The last name in the path of a patch that says which things a list has and in which order, not what is in them. */
const BY_ID = 'by id';

/** Ids of the things in a list, in order, and those that come in. */
interface ById {
  readonly order: readonly string[];
  readonly added: readonly Item[];
}

/** True of patches that set whole things of a list, or where they lie in it. */
const movesThings = (patches: readonly Patch[], list: List): boolean =>
  patches.some(({ op, path }) => path[0] === list && (path.length === 1 || (path.length === 2 && op !== 'add')));

/** Patches from one state of a list to another: who is in it first, then what changed in those that stay. */
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
 * The patches of a change, with those that would set whole parts or backings said by id. Undone, they would otherwise
 * bring back the names and levels that those had then.
 * @param patches from the one document to the other, as immer says them
 */
export function withListsById(patches: readonly Patch[], before: SongDocument, after: SongDocument): readonly Patch[] {
  return LISTS.reduce((all, list) => {
    if (!movesThings(all, list)) return all;
    const others = all.filter(({ path }) => path[0] !== list);
    return [...others, ...between(list, itemsOf(before, list), itemsOf(after, list))];
  }, patches);
}

/** The list that a patch says by id; undefined of any other patch. */
export const listById = ({ path }: Patch): List | undefined =>
  path.length === 2 && path[1] === BY_ID ? LISTS.find((list) => list === path[0]) : undefined;

/**
 * A list with a patch by id applied: who is there stays as it is now.
 * @throws TypeError when the patch is none
 */
export function applyById(document: SongDocument, list: List, { value }: Patch): SongDocument {
  const { order, added } = value as Partial<ById>;
  if (!Array.isArray(order) || !Array.isArray(added))
    throw new TypeError('A patch by id has an order and what is new.');
  const all = new Map([...added, ...itemsOf(document, list)].map((item) => [(item as Item).id, item as Item]));
  return { ...document, [list]: order.flatMap((id: string) => all.get(id) ?? []) };
}
