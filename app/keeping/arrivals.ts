import { HELD_FACTS } from './buffer';
import { chunkPath, localStore, type Arrival, type BufferFacts } from './store';
import type { BufferedEvent } from '~~/core/lookback/buffer';

/** What one turn of the page brings: a strike with its layers' events and look-back's, all or nothing. */
export interface Batch {
  readonly arrivals: readonly Arrival[];
  readonly buffered: readonly BufferedEvent[];
  /** What belongs to look-back's events, where it has changed. */
  readonly facts: BufferFacts | null;
}

/** Keeps a batch in the browser at once. */
export async function writeBatch({ arrivals, buffered, facts }: Batch): Promise<void> {
  const tx = (await localStore()).transaction(['arrivals', 'held', 'heldFacts'], 'readwrite');
  for (const arrival of arrivals) void tx.objectStore('arrivals').add(arrival);
  if (buffered.length) void tx.objectStore('held').add(buffered);
  if (facts) void tx.objectStore('heldFacts').put(facts, HELD_FACTS);
  await tx.done;
}

/**
 * Turns a layer's arrivals into errands, one for each numbered chunk; both or neither.
 * @returns how many events that were
 */
export async function packArrivals(layerId: string): Promise<number> {
  const tx = (await localStore()).transaction(['arrivals', 'errands'], 'readwrite');
  const arrivals = tx.objectStore('arrivals');
  const keys = await arrivals.index('layerId').getAllKeys(layerId);
  const rows = await arrivals.index('layerId').getAll(layerId);
  const chunks = new Map<number, Arrival[]>();
  for (const row of rows) {
    const chunk = chunks.get(row.chunk) ?? [];
    chunk.push(row);
    chunks.set(row.chunk, chunk);
  }
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

/** Layers of a song with arrivals that were never packed: their pass was cut off. */
export async function strandedLayers(songId: string): Promise<string[]> {
  const rows = await (await localStore()).getAll('arrivals');
  return [...new Set(rows.filter((r) => r.songId === songId).map((r) => r.layerId))];
}
