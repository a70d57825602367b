import type { Note } from '../performance/notes';
import type { Ticks } from '../time/units';

const standsAt = ({ fixed }: Note): boolean => fixed === 'start' || fixed === 'both';
const endsAt = ({ fixed }: Note): boolean => fixed === 'end' || fixed === 'both';

/** No group: a note that stays where it is. */
export const STAYS = -1;
/** Slack for rounding errors when two bounds are compared. */
const ROUNDING: Ticks = 1e-9;

/**
 * The most overlapping notes of one key that are looked back over. A key that is never let go would have all of them.
 */
const LOOKED_BACK = 32;

/** Bounds of two notes of a key: by how much more the later must move than the earlier at least. */
interface Bounds {
  readonly before: number[];
  readonly after: number[];
  readonly least: number[];
}

function boundsOf(notes: readonly Note[], groups: Int32Array, canBeCut: Uint8Array, shortest: Ticks): Bounds {
  const bounds: Bounds = { before: [], after: [], least: [] };
  const add = (from: number, to: number, least: Ticks): void => {
    if (from === to) return;
    bounds.before.push(from);
    bounds.after.push(to);
    bounds.least.push(least);
  };
  const last = new Int32Array(128).fill(-1);
  const previous = new Int32Array(notes.length);
  const ringsOver = new Uint8Array(notes.length);
  for (let i = 0; i < notes.length; i += 1) {
    const note = notes[i]!;
    const to = standsAt(note) ? STAYS : groups[i]!;
    // An end that the hand has set is a wall to its own start.
    if (endsAt(note)) add(to, STAYS, Math.min(shortest, note.end - note.start) + note.start - note.end);
    previous[i] = last[note.key]!;
    last[note.key] = i;
    for (let j = previous[i]!, back = 0; j >= 0 && back < LOOKED_BACK; j = previous[j]!, back += 1) {
      const before = notes[j]!;
      // What stays is not cut: its end is a wall. What is moved gives way down to its shortest, and so does what rings
      // on beyond its recording.
      const isWall = (!canBeCut[j] && before.until === undefined) || endsAt(before);
      // Notes that rang over each other already, as two layers may, keep their order.
      if (before.end > note.start) {
        ringsOver[i] = 1;
        add(standsAt(before) ? STAYS : groups[j]!, to, before.start - note.start);
        continue;
      }
      const wall = isWall ? before.end : before.start + Math.min(shortest, note.start - before.start);
      add(isWall || standsAt(before) ? STAYS : groups[j]!, to, wall - note.start);
      if (!ringsOver[j]) break;
    }
  }
  return bounds;
}

/**
 * Distances by which groups of notes can be moved, so that of one key no onset passes another, none begins before
 * one that stays has ended, none after its own end where that stands, and each keeps a shortest length. Where a group
 * would go too far, it is moved by less, all of it. What was played satisfies every bound, so there is always a way.
 * @param notes by start, those that stay among them
 * @param groups by note, the group that it moves with; `STAYS` for none
 * @param by by group, in ticks; changed in place
 * @param canBeCut whether a note may be cut where its key is struck again; of others the end is a wall
 * @param shortest what a note keeps, or as much as it had before its key was struck again
 */
export function keepInOrder(
  notes: readonly Note[],
  groups: Int32Array,
  by: Float64Array,
  canBeCut: Uint8Array,
  shortest: Ticks,
): void {
  const { before, after, least } = boundsOf(notes, groups, canBeCut, shortest);
  const count = least.length;
  const pinned = new Uint8Array(by.length);
  const at = (group: number): Ticks => (group === STAYS ? 0 : by[group]!);
  const settle = (): void => {
    for (let changed = true, rounds = 0; changed && rounds < 8; rounds += 1) {
      changed = false;
      for (let b = 0; b < count; b += 1) {
        const need = at(before[b]!) + least[b]!;
        if (after[b] === STAYS || pinned[after[b]!] || at(after[b]!) >= need - ROUNDING) continue;
        by[after[b]!] = need;
        changed = true;
      }
      for (let b = count - 1; b >= 0; b -= 1) {
        const room = at(after[b]!) - least[b]!;
        if (before[b] === STAYS || pinned[before[b]!] || at(before[b]!) <= room + ROUNDING) continue;
        by[before[b]!] = room;
        changed = true;
      }
    }
  };
  settle();
  // Two groups can each be before the other, on different keys. Then both stay: that is always a way.
  for (let left = by.length; left > 0; left -= 1) {
    let broken = -1;
    for (let b = 0; b < count && broken < 0; b += 1) if (at(after[b]!) - at(before[b]!) < least[b]! - 1e-6) broken = b;
    if (broken < 0) return;
    for (const group of [before[broken]!, after[broken]!]) {
      if (group === STAYS) continue;
      by[group] = 0;
      pinned[group] = 1;
    }
    settle();
  }
}
