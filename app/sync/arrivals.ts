import { chunkPath, localStore, type Arrival, type BufferFacts, type QueuedRequest } from './store';
import type { BufferedEvent } from '~~/core/lookback/buffer';

/** Events that one turn of the page brings, for layers and for look-back; written all or none. */
export interface Batch {
  readonly arrivals: readonly Arrival[];
  readonly buffered: readonly BufferedEvent[];
  /** Facts about look-back's events, where they have changed. */
  readonly facts: BufferFacts | null;
}

/** Writes a batch to the browser's storage. */
export async function writeBatch({ arrivals, buffered, facts }: Batch): Promise<void> {
  const tx = (await localStore()).transaction(['arrivals', 'held', 'heldFacts'], 'readwrite');
  for (const arrival of arrivals) void tx.objectStore('arrivals').add(arrival);
  if (buffered.length) void tx.objectStore('held').add(buffered);
  if (facts) void tx.objectStore('heldFacts').put(facts, facts.by);
  await tx.done;
}

/** Events of a layer as requests, one for each numbered chunk, in order. */
export function chunksOf(layerId: string, arrivals: readonly Arrival[]): QueuedRequest[] {
  const chunks = new Map<number, Arrival[]>();
  for (const arrival of arrivals) {
    const chunk = chunks.get(arrival.chunk) ?? [];
    chunk.push(arrival);
    chunks.set(arrival.chunk, chunk);
  }
  return [...chunks]
    .sort(([a], [b]) => a - b)
    .map(([chunk, of]) => ({
      songId: of[0]!.songId,
      pass: of[0]!.pass,
      method: 'PUT',
      path: chunkPath(layerId, chunk),
      body: { events: of.map((r) => r.event) },
    }));
}

/**
 * Moves a layer's stored events into queued requests, one for each numbered chunk, in one transaction.
 * @param beside events that the storage refused when they came
 * @returns the number of events moved
 */
export async function packArrivals(layerId: string, beside: readonly Arrival[] = []): Promise<number> {
  const tx = (await localStore()).transaction(['arrivals', 'errands'], 'readwrite');
  const arrivals = tx.objectStore('arrivals');
  const keys = await arrivals.index('layerId').getAllKeys(layerId);
  const rows = [...(await arrivals.index('layerId').getAll(layerId)), ...beside];
  for (const request of chunksOf(layerId, rows)) void tx.objectStore('errands').add(request);
  for (const key of keys) void arrivals.delete(key);
  await tx.done;
  return rows.length;
}

/** Takes a layer's events out of the storage. */
export async function takeArrivals(layerId: string): Promise<Arrival[]> {
  const tx = (await localStore()).transaction('arrivals', 'readwrite');
  const of = tx.store.index('layerId');
  const [keys, rows] = await Promise.all([of.getAllKeys(layerId), of.getAll(layerId)]);
  for (const key of keys) void tx.store.delete(key);
  await tx.done;
  return rows;
}

/** Layers of a song with stored events that are in no request yet: their pass was cut off. */
export async function strandedLayers(songId: string): Promise<string[]> {
  const rows = await (await localStore()).getAll('arrivals');
  return [...new Set(rows.filter((r) => r.songId === songId).map((r) => r.layerId))];
}
