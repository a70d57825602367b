import type { Mode } from '../../core/vocabulary/modes';
import type { Layer, LayerClosing, LayerEvent, LayerHeader } from '../../core/takes/layer';
import type { Milliseconds } from '../../core/time/units';
import { FRESH } from '../../core/vocabulary/limits';
import { packEvents, unpacked, type Packed } from '../../core/takes/packed';
import type { Database } from './database';
import { fedAgo, noteFed, serverTime } from './layerFeeds';

interface LayerRow {
  id: string;
  song_id: string;
  header: string;
  mode: Mode;
  closing: string | null;
  fed_by: string | null;
  /** Packed events of a closed layer; backups of older versions have none. */
  packed?: Buffer | null;
  /** 1 if a take was made of it, even if it is not in the song any more. */
  taken?: number;
}
interface ChunkRow {
  layer_id: string;
  sequence: number;
  events: string;
}

/** Layer as stored; an open one has no closing. */
export interface StoredLayer {
  readonly header: LayerHeader;
  readonly mode: Mode;
  readonly closing: LayerClosing | null;
  readonly events: readonly LayerEvent[];
  /** Browser that records or recorded it, if known. */
  readonly by: string | null;
  /** Time since data came for it, or since its closing. */
  readonly fedAgo: Milliseconds;
  /** True if a take was made of it, even if it is not in the song any more. */
  readonly taken: boolean;
}
/** Facts of a layer that are sent with its events. */
export type LayerFacts = Omit<StoredLayer, 'events'>;

/** Opens a layer; repeating it changes nothing. @returns 'other' where the id belongs to a layer of another song */
export function openLayer(
  db: Database,
  songId: string,
  header: LayerHeader,
  mode: Mode,
  by: string | null = null,
  now: Milliseconds = serverTime(),
): Promise<'open' | 'other'> {
  return db.transaction(async (tx) => {
    const { id } = header;
    await tx('layers')
      .insert({ id, song_id: songId, header: JSON.stringify(header), mode, closing: null, fed_by: by })
      .onConflict('id')
      .ignore();
    const row = await tx<LayerRow>('layers').where({ id }).first('song_id', 'closing');
    if (row?.closing === null) noteFed(id, now);
    return row?.song_id === songId ? 'open' : 'other';
  });
}

/** Records that a layer is still recorded. @returns undefined where it does not exist */
export async function keepAlive(
  db: Database,
  id: string,
  now: Milliseconds = serverTime(),
): Promise<'open' | 'closed' | undefined> {
  const row = await db<LayerRow>('layers').where({ id }).first('closing');
  if (row?.closing === null) noteFed(id, now);
  return row && (row.closing === null ? 'open' : 'closed');
}

/**
 * Stores a numbered chunk. Repeating it is harmless; different content under its number is refused, and so are chunks
 * of a closed layer.
 */
export function addChunk(
  db: Database,
  layerId: string,
  sequence: number,
  events: readonly LayerEvent[],
  now: Milliseconds = serverTime(),
): Promise<'kept' | 'closed' | 'unknown' | 'other'> {
  const text = JSON.stringify(events);
  return db.transaction(async (tx) => {
    const row = await tx<LayerRow>('layers').where({ id: layerId }).first('closing');
    if (!row) return 'unknown';
    const known = await tx<ChunkRow>('layer_chunks').where({ layer_id: layerId, sequence }).first('events');
    if (known) return known.events === text ? 'kept' : 'other';
    if (row.closing !== null) return 'closed';
    await tx('layer_chunks').insert({ layer_id: layerId, sequence, events: text });
    noteFed(layerId, now);
    return 'kept';
  });
}

/** Browser that closes a layer, and the time; nulls where unknown. */
export interface Closer {
  readonly songId: string | null;
  readonly by: string | null;
  readonly now: Milliseconds;
}

/**
 * Closes a layer for good; repeating it changes nothing.
 * @param closer undefined for a layer that came complete
 * @returns 'recorded' where another browser fed it within `FRESH`: then it stays open
 */
export function closeLayer(
  db: Database,
  layerId: string,
  closing: LayerClosing,
  closer?: Closer,
): Promise<'closed' | 'unknown' | 'another song' | 'recorded'> {
  return db.transaction(async (tx) => {
    const row = await tx<LayerRow>('layers').where({ id: layerId }).first('song_id', 'closing', 'fed_by');
    if (!row) return 'unknown';
    if (closer && closer.songId !== null && row.song_id !== closer.songId) return 'another song';
    if (row.closing !== null) return 'closed';
    const isAnothers = row.fed_by !== null && row.fed_by !== closer?.by;
    if (closer && isAnothers && fedAgo(layerId, closer.now) < FRESH) return 'recorded';
    await tx('layers')
      .where({ id: layerId, closing: null })
      .update({ closing: JSON.stringify(closing), packed: await packedChunks(tx, layerId) });
    if (closer) noteFed(layerId, closer.now);
    return 'closed';
  });
}

async function packedChunks(db: Database, layerId: string): Promise<Buffer> {
  const chunks = await db<ChunkRow>('layer_chunks').where({ layer_id: layerId }).orderBy('sequence');
  return Buffer.from(packEvents(chunks.flatMap((c) => JSON.parse(c.events) as LayerEvent[])));
}

/** Layers of a song, or one of them, with packed events. */
export async function packedLayers(
  db: Database,
  songId: string,
  now: Milliseconds = serverTime(),
  only?: string,
): Promise<Packed<LayerFacts, Buffer>[]> {
  const rows = await db<LayerRow>('layers').where({ song_id: songId, ...(only === undefined ? {} : { id: only }) });
  return Promise.all(
    rows.map(async (row) => ({
      header: JSON.parse(row.header) as LayerHeader,
      mode: row.mode,
      closing: row.closing === null ? null : (JSON.parse(row.closing) as LayerClosing),
      by: row.fed_by,
      fedAgo: fedAgo(row.id, now),
      taken: Boolean(row.taken),
      packed: row.packed ?? (await packedChunks(db, row.id)),
    })),
  );
}

/** Layers of a song, or one of them, whose events are unpacked at their first use. */
export const readLayers = async (db: Database, songId: string, only?: string): Promise<StoredLayer[]> =>
  (await packedLayers(db, songId, undefined, only)).map(unpacked);

/** Stores of which layers takes were made. */
export const markTaken = (db: Database, songId: string): Promise<void> =>
  db.transaction(async (tx) => {
    const taken = await notMarked(tx, songId);
    if (taken.length > 0) await tx<LayerRow>('layers').whereIn('id', taken).update({ taken: 1 });
  });

/**
 * Layers of which takes were made, without a record of it yet: those in the song or its history. A closed layer in
 * neither waits for its take, as the page closed in between.
 */
export async function notMarked(db: Database, songId: string): Promise<string[]> {
  const open = await db<LayerRow>('layers').where({ song_id: songId, taken: 0 }).whereNotNull('closing').select('id');
  if (open.length === 0) return [];
  const song = await db<{ document: string }>('songs')
    .where({ id: songId } as never)
    .first('document');
  const mentioned = async (id: string) =>
    song?.document.includes(id) ||
    (await db('song_changes').where({ song_id: songId }).whereRaw('instr(patches, ?)', [id]).first('revision'));
  const taken: string[] = [];
  for (const { id } of open) if (await mentioned(id)) taken.push(id);
  return taken;
}

const isClosed = (layer: StoredLayer): layer is StoredLayer & Layer => layer.closing !== null;

/** Closed layers by id, in the core's form. */
export const closedLayers = (stored: readonly StoredLayer[]): Map<string, Layer> =>
  new Map(stored.filter(isClosed).map((layer) => [layer.header.id, layer]));
