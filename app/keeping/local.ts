import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { Command } from '~~/core/song/changes';
import type { HeldEvent, Listening, Roll, Taking } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';

/** A request that has to reach the server, in its turn. */
export interface Errand {
  readonly songId: string;
  readonly method: 'POST' | 'PUT';
  readonly path: string;
  readonly body: unknown;
  /** What a change was made by, so that it can be made again on a newer song. */
  readonly command?: Command;
}

/** An event of an open layer that no errand carries yet. */
export interface Arrival {
  readonly songId: string;
  readonly layerId: string;
  /** The numbered chunk it will travel in. */
  readonly chunk: number;
  readonly event: LayerEvent;
}

interface Kept extends DBSchema {
  errands: { key: number; value: Errand };
  arrivals: { key: number; value: Arrival; indexes: { layerId: string } };
  /** What the keyboards sent, for look-back: a few events at a time. */
  held: { key: number; value: readonly HeldEvent[] };
  /** What belongs to them: rolls, who was listening, and what was taken. */
  heldFacts: { key: string; value: HeldFacts };
}

/** What look-back has to know beside the events. */
export interface HeldFacts {
  readonly rolls: readonly Roll[];
  readonly listenings: readonly Listening[];
  readonly takings: readonly Taking[];
}

let opened: Promise<IDBPDatabase<Kept>> | undefined;

/** What this browser holds until the server has it. */
export const localStore = (): Promise<IDBPDatabase<Kept>> =>
  (opened ??= openDB<Kept>('tall-kettle', 2, {
    upgrade(db, before) {
      if (before < 1) {
        db.createObjectStore('errands', { autoIncrement: true });
        db.createObjectStore('arrivals', { autoIncrement: true }).createIndex('layerId', 'layerId');
      }
      db.createObjectStore('held', { autoIncrement: true });
      db.createObjectStore('heldFacts');
    },
  }));

export const chunkPath = (layerId: string, chunk: number): string =>
  `/api/layers/${encodeURIComponent(layerId)}/chunks/${chunk}`;

/** Keeps an event in the browser at once. */
export async function keepArrival(arrival: Arrival): Promise<void> {
  await (await localStore()).add('arrivals', arrival);
}

/**
 * Turns a layer's arrivals into errands, one for each numbered chunk; both or neither. Returns how many events that
 * were.
 */
export async function packArrivals(layerId: string): Promise<number> {
  const tx = (await localStore()).transaction(['arrivals', 'errands'], 'readwrite');
  const arrivals = tx.objectStore('arrivals');
  const keys = await arrivals.index('layerId').getAllKeys(layerId);
  const rows = await arrivals.index('layerId').getAll(layerId);
  const chunks = new Map<number, Arrival[]>();
  for (const row of rows) chunks.set(row.chunk, [...(chunks.get(row.chunk) ?? []), row]);
  for (const [chunk, of] of [...chunks].sort(([a], [b]) => a - b)) {
    await tx.objectStore('errands').add({
      songId: of[0]!.songId,
      method: 'PUT',
      path: chunkPath(layerId, chunk),
      body: { events: of.map((r) => r.event) },
    });
  }
  await Promise.all(keys.map((key) => arrivals.delete(key)));
  await tx.done;
  return rows.length;
}

/** Whether something still has to reach the server. */
export const anyErrands = async (): Promise<boolean> => (await (await localStore()).count('errands')) > 0;

/** Layers with arrivals that were never packed: their pass was cut off. */
export async function strandedLayers(songId: string): Promise<string[]> {
  const rows = await (await localStore()).getAll('arrivals');
  return [...new Set(rows.filter((r) => r.songId === songId).map((r) => r.layerId))];
}
