import type { Part } from '../document/part';
import type { Lane } from '../performance/controls';
import type { Note } from '../performance/notes';
import { decidedOf, lineOf, type Reader } from '../reading/reading';
import { belongsTo } from '../performance/intendedPlace';
import type { TickRange, Ticks } from '../time/units';
import { treatmentOf, type Treatment } from '../timing/treatments';
import type { Clock } from '../timing/lattice';
import { treat, type TreatedNote, type TreatedReading } from '../timing/treatment';

/** Part's line for editing: heard and silenced notes, and the take of each. */
export interface Shown {
  readonly line: TreatedReading;
  /** Silenced notes. */
  readonly silent: readonly TreatedNote[];
  /** Deleted notes. */
  readonly removed: readonly Note[];
  /** Take of a note; undefined for a note outside the line. */
  readonly takeOf: (noteId: string) => string | undefined;
  /** Note as its take has it, before joins and treatments. */
  readonly before: (noteId: string) => Note | undefined;
  /** Test for a note that a treatment moves. */
  readonly isTreated: (noteId: string) => boolean;
  /** Take that is picked at a place, or null. */
  readonly heardAt: (tick: Ticks) => string | null;
}

/** @param treatments instead of the part's own @param known the line, where it has been read already */
export function shownOf(
  part: Part,
  { read, edited }: Reader,
  clock: Clock,
  treatments: readonly Treatment[] = part.treatments,
  known?: TreatedReading,
): Shown {
  const takes = new Map(part.takes.map((t) => [t.id, t]));
  const owners = new Map<string, { readonly take: string; readonly note: Note }>();
  const silent: Note[] = [];
  const removed: Note[] = [];
  part.comp.forEach((range, i) => {
    const take = takes.get(range.takeId);
    if (!take) return;
    const goesOn = part.comp[i + 1]?.from === range.to;
    const { silent: quiet, removed: gone } = edited(take);
    const own = (notes: readonly Note[], into?: Note[]): void => {
      for (const note of notes) {
        if (!belongsTo(note, range, goesOn)) continue;
        owners.set(note.id, { take: take.id, note });
        into?.push(note);
      }
    };
    own(read(take).notes);
    own(quiet, silent);
    own(gone, removed);
  });
  // A note that a join keeps from its other side belongs to its own take.
  const line = known ?? lineOf(part, read, clock, treatments);
  for (const note of line.notes) {
    if (owners.has(note.id)) continue;
    const take = part.takes.find((t) => read(t).notes.some((n) => n.id === note.id));
    if (!take) continue;
    owners.set(note.id, { take: take.id, note: read(take).notes.find((n) => n.id === note.id)! });
  }
  return {
    line,
    silent: treat({ notes: silent, controls: [] }, treatments, clock, decidedOf(part)).notes,
    removed,
    takeOf: (id) => owners.get(id)?.take,
    before: (id) => owners.get(id)?.note,
    isTreated: (id) => {
      const note = treatments.length > 0 ? owners.get(id)?.note : undefined;
      return note !== undefined && treatmentOf(note, treatments) !== undefined;
    },
    heardAt: (tick) => part.comp.find((p) => p.from <= tick && p.to > tick)?.takeId ?? null,
  };
}

/** Takes whose controller is heard in a range, piece by piece; pieces without one are left out. */
export function lanePieces(part: Part, lane: Lane, range: TickRange): (TickRange & { readonly takeId: string })[] {
  const cut = (all: readonly (TickRange & { readonly takeId: string })[], within: TickRange) =>
    all.flatMap(({ from, to, takeId }) => {
      const piece = { from: Math.max(from, within.from), to: Math.min(to, within.to), takeId };
      return piece.to > piece.from ? [piece] : [];
    });
  const picked = part.lanes.filter((l) => l.lane === null || l.lane === lane);
  const over = picked.reduce(
    (pieces, pick) =>
      pieces.flatMap((piece) => {
        const [inside] = cut([pick], piece);
        if (!inside) return [piece];
        return [{ ...piece, to: inside.from }, inside, { ...piece, from: inside.to }].filter((p) => p.to > p.from);
      }),
    cut(part.comp, range),
  );
  return over.sort((a, b) => a.from - b.from);
}
