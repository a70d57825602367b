import { lineColumns, type LineColumns } from '~~/core/timing/lineColumns';
import { linedUp } from '~~/core/timing/unitLines';
import { readColumns, type NoteColumns } from '~~/core/timing/noteColumns';
import type { Recipe } from '~~/core/timing/recipe';
import type { TickRange } from '~~/core/time/units';

/** Notes, and what their lines are found by. */
export interface LinesAsked extends NoteColumns {
  readonly id: number;
  readonly recipe: Recipe;
  readonly range: TickRange;
}

export interface LinesFound extends LineColumns {
  readonly id: number;
}

/** Finds grid lines in a worker: for a long part that takes longer than a frame. */
onmessage = ({ data }: MessageEvent<LinesAsked>) => {
  const { notes, clock, decided } = readColumns(data);
  const lined = linedUp(notes, data.recipe, clock, data.range, decided);
  postMessage({ id: data.id, ...lineColumns(lined, notes, data.recipe.way === 'steady') } satisfies LinesFound);
};
