import type { SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { lineOf, type Layers, type Reader, songReader } from '../reading/reading';
import { changedSince, isChanged, type WentOut } from './changed';
import { checksOf, openChecks } from './checks';
import type { Delivery } from './delivery';
import { hasSomething, partsGoing, partsWanted } from './files';

/** Progress of a song towards its client. */
export interface Standing {
  readonly state: 'nothing' | 'open' | 'ready' | 'handed over' | 'changed';
  /** Open findings of checks. */
  readonly things: number;
  /** Number of the last version that went out; 0 before the first. */
  readonly version: number;
}

const COUNTED = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
/** Words such as "three things left". */
export function thingsLeft(things: number): string {
  const count = COUNTED[things] ?? String(things);
  return `${count[0]!.toUpperCase()}${count.slice(1)} thing${things === 1 ? '' : 's'} left`;
}

/** Words for the progress; empty before there is anything to hand over. */
export function standingWords({ state, things, version }: Standing): string {
  switch (state) {
    case 'nothing':
      return '';
    case 'open':
      return version ? `${thingsLeft(things)} since version ${version}` : thingsLeft(things);
    case 'ready':
      return 'Ready';
    case 'handed over':
      return `Handed over, version ${version}`;
    case 'changed':
      return `Changed since version ${version}`;
  }
}

/** @param same true if nothing has changed since the last version */
export function standingFrom(going: number, things: number, version: number, same: boolean): Standing {
  const facts = { things, version };
  if (going === 0) return { state: 'nothing', ...facts };
  if (version > 0 && same) return { state: 'handed over', ...facts };
  if (things > 0) return { state: 'open', ...facts };
  return { state: version > 0 ? 'changed' : 'ready', ...facts };
}

/**
 * @param out versions that went out, as `newestWith` returns them; none before the first
 * @param reader reads each take once; passed by callers that read takes anyway
 */
export function standingOf(
  song: SongDocument,
  layers: Layers,
  delivery: Delivery,
  out: readonly WentOut[],
  reader: Reader = songReader(song, layers),
): Standing {
  const maps = mapsOf(song);
  const lines = new Map(song.parts.map((p) => [p.id, lineOf(p, reader.read, maps)]));
  const going = partsGoing(song, delivery, (p) => hasSomething(p, lines.get(p.id)!, layers, song, maps)).length;
  const wanted = partsWanted(song, delivery);
  const same = out.length > 0 && !isChanged(changedSince(out, song, wanted, layers, reader));
  const version = out[0]?.number ?? 0;
  if (going === 0 || same) return standingFrom(going, 0, version, same);
  const checks = checksOf(song, wanted, layers, maps, reader, (part) => lines.get(part.id)!);
  return standingFrom(going, openChecks(checks, song).length, version, false);
}
