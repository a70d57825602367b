import { lateAsPlayed } from '~~/core/timing/lateness';
import { readColumns, type NoteColumns } from '~~/core/timing/noteColumns';
import type { Recipe } from '~~/core/timing/recipe';
import type { TickRange } from '~~/core/time/units';

/** Groups of notes in columns, each with the treatment whose grid it is measured by. */
export interface LatenessAsked extends NoteColumns {
  readonly id: number;
  readonly groups: readonly { readonly count: number; readonly recipe: Recipe; readonly over: TickRange }[];
}

/** Results, one row for each note; `notes` are rows of the columns. */
export interface LatenessFound {
  readonly id: number;
  readonly notes: Int32Array;
  readonly lines: Float64Array;
  readonly inBars: Float64Array;
  readonly ms: Float64Array;
  readonly drift: Float64Array;
}

/** Computes how late the notes of a long part are, in a worker. */
onmessage = ({ data }: MessageEvent<LatenessAsked>) => {
  const { notes, clock, decided } = readColumns(data);
  let from = 0;
  const groups = data.groups.map(({ count, recipe, over }) => {
    from += count;
    return { notes: notes.slice(from - count, from), recipe, over };
  });
  const all = lateAsPlayed(groups, clock, decided);
  postMessage({
    id: data.id,
    notes: Int32Array.from(all, (l) => Number(l.note.id)),
    lines: Float64Array.from(all, (l) => l.line),
    inBars: Float64Array.from(all, (l) => l.inBar),
    ms: Float64Array.from(all, (l) => l.ms),
    drift: Float64Array.from(all, (l) => l.drift),
  } satisfies LatenessFound);
};
