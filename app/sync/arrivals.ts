import { chunkPath, localStore, type Arrival, type BufferFacts, type QueuedRequest } from './store';
import type { BufferedEvent } from '~~/core/lookback/buffer';

/** Writes of one turn of the page: a note with its layers' events and look-back's, all or nothing. */
export interface Batch {
  readonly arrivals: readonly Arrival[];
  readonly buffered: readonly BufferedEvent[];
  /** Look-back's facts beside its events, where they have changed. */
  readonly facts: BufferFacts | null;
}

/** Keeps a batch in the browser at once. */
export async function writeBatch({ arrivals, buffered, facts }: Batch): Promise<void> {
  const tx = (await localStore()).transaction(['arrivals', 'held', 'heldFacts'], 'readwrite');
  for (const arrival of arrivals) void tx.objectStore('arrivals').add(arrival);
  if (buffered.length) void tx.objectStore('held').add(buffered);
  if (facts) void tx.objectStore('heldFacts').put(facts, facts.by);
  await tx.done;
}

/** A layer's arrivals as requests, one for each numbered chunk, in their order. */
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
 * Turns a layer's arrivals into requests, one for each numbered chunk; both or neither.
 * @param beside arrivals that the storage would not take when they came
 * @returns how many events that were
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

/** Takes a layer's arrivals out of the storage. */
export async function takeArrivals(layerId: string): Promise<Arrival[]> {
  const tx = (await localStore()).transaction('arrivals', 'readwrite');
  const of = tx.store.index('layerId');
  const [keys, rows] = await Promise.all([of.getAllKeys(layerId), of.getAll(layerId)]);
  for (const key of keys) void tx.store.delete(key);
  await tx.done;
  return rows;
}

/** Layers of a song with arrivals that were never packed: their pass was cut off. */
export async function strandedLayers(songId: string): Promise<string[]> {
  const rows = await (await localStore()).getAll('arrivals');
  return [...new Set(rows.filter((r) => r.songId === songId).map((r) => r.layerId))];
}
