import type { Note } from '../performance/notes';
import { meterMap, type MeterChange } from '../time/meter';
import { tempoMap, type TempoChange } from '../time/tempo';
import type { Clock } from './lattice';
import type { Decided } from './unitLines';

/** Notes on their way to a worker, in columns, with what their lines depend on. */
export interface NoteColumns {
  readonly starts: Float64Array;
  readonly ends: Float64Array;
  readonly keys: Uint8Array;
  /** Velocities, since grace notes are told by being soft. */
  readonly velocities: Uint8Array;
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  /** Decisions, by the note's place in the columns. */
  readonly decided: readonly (readonly [number, number | 'played'])[];
}

export function columnsOf(
  notes: readonly Note[],
  { tempo, meter }: Pick<NoteColumns, 'tempo' | 'meter'>,
  decided: Decided,
): NoteColumns {
  const [starts, ends] = [new Float64Array(notes.length), new Float64Array(notes.length)];
  const [keys, velocities] = [new Uint8Array(notes.length), new Uint8Array(notes.length)];
  const said: (readonly [number, number | 'played'])[] = [];
  for (let i = 0; i < notes.length; i += 1) {
    const { id, start, end, key, velocity } = notes[i]!;
    [starts[i], ends[i], keys[i], velocities[i]] = [start, end, key, velocity];
    const one = decided.get(id);
    if (one !== undefined) said.push([i, one]);
  }
  return {
    starts,
    ends,
    keys,
    velocities,
    tempo: tempo.map((t) => ({ ...t })),
    meter: meter.map((m) => ({ ...m })),
    decided: said,
  };
}

/** Reads notes from columns in the worker; a note's id is its index there. */
export const readColumns = ({
  starts,
  ends,
  keys,
  velocities,
  tempo,
  meter,
  decided,
}: NoteColumns): { readonly notes: Note[]; readonly clock: Clock; readonly decided: Decided } => ({
  notes: Array.from(starts, (start, i): Note => {
    return { id: `${i}`, key: keys[i]!, velocity: velocities[i]!, release: 64, start, end: ends[i]! };
  }),
  clock: { tempo: tempoMap(tempo), meter: meterMap(meter) },
  decided: new Map(decided.map(([i, line]) => [`${i}`, line] as const)),
});
