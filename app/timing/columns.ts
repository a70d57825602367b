import type { Note } from '~~/core/performance/notes';
import type { SongDocument } from '~~/core/document/document';
import type { Clock } from '~~/core/timing/lattice';
import type { Decided } from '~~/core/timing/lined';
import { meterMap, type MeterChange } from '~~/core/time/meter';
import { tempoMap, type TempoChange } from '~~/core/time/tempo';

/** Notes on their way to a worker, in columns, with what their lines depend on. */
export interface NoteColumns {
  readonly starts: Float64Array;
  readonly ends: Float64Array;
  readonly keys: Uint8Array;
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  /** What was decided, by the note's place in the columns. */
  readonly decided: readonly (readonly [number, number | 'played'])[];
}

export const columnsOf = (
  notes: readonly Note[],
  { tempo, meter }: Pick<SongDocument, 'tempo' | 'meter'>,
  decided: Decided,
): NoteColumns => ({
  starts: Float64Array.from(notes, (n) => n.start),
  ends: Float64Array.from(notes, (n) => n.end),
  keys: Uint8Array.from(notes, (n) => n.key),
  tempo: tempo.map((t) => ({ ...t })),
  meter: meter.map((m) => ({ ...m })),
  decided: notes.flatMap(({ id }, i) => (decided.has(id) ? [[i, decided.get(id)!] as const] : [])),
});

/** The same at the other end; a note's id is its place in the columns. */
export const readColumns = ({
  starts,
  ends,
  keys,
  tempo,
  meter,
  decided,
}: NoteColumns): { readonly notes: Note[]; readonly clock: Clock; readonly decided: Decided } => ({
  notes: Array.from(starts, (start, i): Note => {
    return { id: `${i}`, key: keys[i]!, velocity: 64, release: 64, start, end: ends[i]! };
  }),
  clock: { tempo: tempoMap(tempo), meter: meterMap(meter) },
  decided: new Map(decided.map(([i, line]) => [`${i}`, line] as const)),
});
