import type { Note } from '~~/core/performance/notes';
import { lateAsPlayed } from '~~/core/timing/lateness';
import type { Recipe } from '~~/core/timing/recipe';
import { meterMap, type MeterChange } from '~~/core/time/meter';
import { tempoMap, type TempoChange } from '~~/core/time/tempo';
import type { TickRange } from '~~/core/time/units';

/** Notes in columns, a group after the other, and what each group is held against. */
export interface LatenessAsked {
  readonly id: number;
  readonly starts: Float64Array;
  readonly ends: Float64Array;
  readonly keys: Uint8Array;
  readonly groups: readonly { readonly count: number; readonly recipe: Recipe; readonly over: TickRange }[];
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  /** What was decided, by the note's place in the columns. */
  readonly decided: readonly (readonly [number, number | 'played'])[];
}

/** A strike a row; `notes` are places in the columns. */
export interface LatenessFound {
  readonly id: number;
  readonly notes: Int32Array;
  readonly lines: Float64Array;
  readonly inBars: Float64Array;
  readonly ms: Float64Array;
  readonly drift: Float64Array;
}

/** Finds how early and late the strikes of a long part were, away from the page. */
onmessage = ({ data }: MessageEvent<LatenessAsked>) => {
  const notes = Array.from(data.starts, (start, i): Note => {
    return { id: `${i}`, key: data.keys[i]!, velocity: 64, release: 64, start, end: data.ends[i]! };
  });
  let from = 0;
  const groups = data.groups.map(({ count, recipe, over }) => {
    from += count;
    return { notes: notes.slice(from - count, from), recipe, over };
  });
  const clock = { tempo: tempoMap(data.tempo), meter: meterMap(data.meter) };
  const decided = new Map(data.decided.map(([i, line]) => [`${i}`, line] as const));
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
