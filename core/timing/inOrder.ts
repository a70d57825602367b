import type { Note } from '../performance/notes';
import type { Ticks } from '../time/units';

/** Notes that are moved by as much. */
export interface Moved {
  readonly notes: readonly Note[];
  readonly by: Ticks;
}

/** Of two strikes of a key, by how much the later must stay behind the earlier one's start. */
interface Bound {
  readonly before: Moved;
  readonly after: Moved;
  /** The least that what is after is moved by more than what is before. */
  readonly least: Ticks;
}

const standsAt = ({ fixed }: Note): boolean => fixed === 'start' || fixed === 'both';
const endsAt = ({ fixed }: Note): boolean => fixed === 'end' || fixed === 'both';

/**
 * Starts once groups of notes are moved, so that of one key no strike passes another, none is struck before one that
 * stays has ended, and each keeps a shortest length. Where a group would be too far, it is moved by less, all of it.
 * What was played satisfies every bound, so there is always a way.
 * @param notes by start, those that stay among them
 * @param moved by note
 * @param canBeCut whether a note may be cut where its key is struck again; of others the end is a wall
 * @param shortest what a note keeps, or as much as it had before its key was struck again
 * @returns starts of the notes that are moved
 */
export function inOrder(
  notes: readonly Note[],
  moved: ReadonlyMap<string, Moved>,
  canBeCut: (note: Note) => boolean,
  shortest: Ticks,
): Map<string, Ticks> {
  const by = new Map<Moved, Ticks>();
  const order: Moved[] = [];
  const groupOf = (note: Note): Moved | null => (standsAt(note) ? null : (moved.get(note.id) ?? null));
  const last = new Map<number, Note>();
  const ahead = new Map<Moved, Bound[]>();
  const behind = new Map<Moved, Bound[]>();
  const add = (to: Map<Moved, Bound[]>, key: Moved, bound: Bound): void => {
    const own = to.get(key);
    if (own) own.push(bound);
    else to.set(key, [bound]);
  };
  for (const note of notes) {
    const group = groupOf(note);
    if (group && !by.has(group)) {
      by.set(group, group.by);
      order.push(group);
    }
    const before = last.get(note.key);
    last.set(note.key, note);
    // What rang over it already, as two layers may, is no bound.
    if (!before || before.end > note.start) continue;
    const from = groupOf(before);
    if (!from && !group) continue;
    if (from && from === group) continue;
    // What stays is not cut: its end is a wall. What is moved gives way down to its shortest.
    const stays = !canBeCut(before) || endsAt(before);
    const wall = stays ? before.end : before.start + Math.min(shortest, note.start - before.start);
    const bound = { before: from ?? NOWHERE, after: group ?? NOWHERE, least: wall - note.start };
    if (group) add(ahead, group, bound);
    if (from) add(behind, from, bound);
  }
  const at = (group: Moved): Ticks => (group === NOWHERE ? 0 : by.get(group)!);
  const settle = (): void => {
    for (const group of order)
      for (const { before, least } of ahead.get(group) ?? []) by.set(group, Math.max(at(group), at(before) + least));
    for (const group of order.toReversed())
      for (const { after, least } of behind.get(group) ?? []) by.set(group, Math.min(at(group), at(after) - least));
  };
  settle();
  // Two groups can each be before the other, on different keys. Then both stay: that is always a way.
  const bounds = [...ahead.values(), ...behind.values()].flat();
  for (let left = order.length; left > 0; left -= 1) {
    const broken = bounds.find(({ before, after, least }) => at(after) - at(before) < least - 1e-9);
    if (!broken) break;
    for (const group of [broken.before, broken.after]) {
      by.set(group, 0);
      ahead.set(group, [...(ahead.get(group) ?? []), { before: NOWHERE, after: group, least: 0 }]);
      behind.set(group, [...(behind.get(group) ?? []), { before: group, after: NOWHERE, least: 0 }]);
    }
    settle();
  }
  const starts = new Map<string, Ticks>();
  for (const group of order)
    for (const note of group.notes) if (!standsAt(note)) starts.set(note.id, note.start + by.get(group)!);
  return starts;
}
const NOWHERE: Moved = { notes: [], by: 0 };
