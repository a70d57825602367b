import type { Part } from '../document/part';
import type { Lane } from '../performance/controls';
import type { Note } from '../performance/notes';
import { decidedOf, lineOf, type Reader } from '../song/reading';
import { belongsTo } from '../performance/intendedPlace';
import type { TickRange, Ticks } from '../time/units';
import { treatmentOf, type Treatment } from '../timing/treatments';
import type { Clock } from '../timing/lattice';
import { treat, type TreatedNote, type TreatedReading } from '../timing/treatment';

/** A part's line as the hand works on it: what is heard, what is there and silent, and whose each note is. */
export interface Shown {
  readonly line: TreatedReading;
  /** There, and not heard. */
  readonly silent: readonly TreatedNote[];
  /** Played, and taken out. */
  readonly removed: readonly Note[];
  /** The take of a note; undefined for one that is not in the line. */
  readonly takeOf: (noteId: string) => string | undefined;
  /** A note as its take has it, before joins and treatments. */
  readonly before: (noteId: string) => Note | undefined;
  /** True of a note that lies in the range of a treatment and belongs to it. */
  readonly isTreated: (noteId: string) => boolean;
  /** The take that is heard at a place, or null. */
  readonly heardAt: (tick: Ticks) => string | null;
}

/**
 * @param treatments in place of the part's own
 * @param known the line, where it has been read already
 */
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
  // What a join lets sound that lies on its other side belongs to the take that has it.
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

/** The takes whose controller is heard in a range, piece by piece; where nothing is heard there is no piece. */
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
