import { linedUp } from '~~/core/timing/lined';
import type { Recipe } from '~~/core/timing/recipe';
import type { TickRange } from '~~/core/time/units';
import { readColumns, type NoteColumns } from './columns';

/** Notes, and what their lines are found by. */
export interface LinesAsked extends NoteColumns {
  readonly id: number;
  readonly recipe: Recipe;
  readonly range: TickRange;
}

export interface LinesFound {
  readonly id: number;
  readonly lines: Int32Array;
  readonly rolled: Uint8Array;
  readonly sure: Float64Array;
  readonly other: Int32Array;
}

/** Finds lines by the phrase, away from the page: of a long part that takes longer than a frame. */
onmessage = ({ data }: MessageEvent<LinesAsked>) => {
  const { notes, clock, decided } = readColumns(data);
  const { lines, rolled, doubt } = linedUp(notes, data.recipe, clock, data.range, decided).phrase!;
  postMessage({ id: data.id, lines, rolled, ...doubt() } satisfies LinesFound);
};
