import type { Note } from '~~/core/performance/notes';
import { linedUp } from '~~/core/timing/lined';
import type { Recipe } from '~~/core/timing/recipe';
import { meterMap, type MeterChange } from '~~/core/time/meter';
import { tempoMap, type TempoChange } from '~~/core/time/tempo';
import type { TickRange } from '~~/core/time/units';

/** Notes in columns, and what their lines are found by. */
export interface LinesAsked {
  readonly id: number;
  readonly starts: Float64Array;
  readonly ends: Float64Array;
  readonly keys: Uint8Array;
  readonly recipe: Recipe;
  readonly range: TickRange;
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  /** What was decided, by the note's place in the columns. */
  readonly decided: readonly (readonly [number, number | 'played'])[];
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
  const notes = Array.from(data.starts, (start, i): Note => {
    return { id: `${i}`, key: data.keys[i]!, velocity: 64, release: 64, start, end: data.ends[i]! };
  });
  const clock = { tempo: tempoMap(data.tempo), meter: meterMap(data.meter) };
  const decided = new Map(data.decided.map(([i, line]) => [`${i}`, line] as const));
  const { lines, rolled, doubt } = linedUp(notes, data.recipe, clock, data.range, decided).phrase!;
  postMessage({ id: data.id, lines, rolled, ...doubt() } satisfies LinesFound);
};
