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
  /** Its events, packed, once it is closed. A backup of an older version has none. */
  packed?: Buffer | null;
  /** A take was made of it, whether or not that is still in the song. */
  taken?: number;
}
interface ChunkRow {
  layer_id: string;
  sequence: number;
  events: string;
}

/** A layer as it lies in the database; one that was not closed has no closing. */
export interface StoredLayer {
  readonly header: LayerHeader;
  readonly mode: Mode;
  readonly closing: LayerClosing | null;
  readonly events: readonly LayerEvent[];
  /** The browser that records or recorded it, where it was said. */
  readonly by: string | null;
  /** The time since something came for it, or it was closed, when it was read. */
  readonly fedAgo: Milliseconds;
  /** A take was made of it, whether or not that is still in the song. */
  readonly taken: boolean;
}
/** Facts of a layer that go on their way beside its events. */
export type LayerFacts = Omit<StoredLayer, 'events'>;

/** Opening the same layer again changes nothing. @returns 'other' where the name is taken by another song's layer */
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

/** A layer is being recorded, whether or not something is played. @returns undefined where there is none of its name */
export async function keepAlive(
  db: Database,
  id: string,
  now: Milliseconds = serverTime(),
): Promise<'open' | 'closed' | undefined> {
  const row = await db<LayerRow>('layers').where({ id }).first('closing');
  if (row?.closing === null) noteFed(id, now);
  return row && (row.closing === null ? 'open' : 'closed');
}

/** Sending a numbered chunk again is harmless; another under its number is not taken. A closed layer takes no more. */
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

/** Closer of a layer, and the time; nulls where it is not said. */
export interface Closer {
  readonly songId: string | null;
  readonly by: string | null;
  readonly now: Milliseconds;
}

/**
 * Closes a layer for good; closing it again is harmless and changes nothing.
 * @param closer not there where nobody records it: it came whole
 * @returns 'recorded' where another browser fed it no longer ago than `FRESH`: then it stays open
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

/** A song's layers, or only one, their events packed. */
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

/** A song's layers, or one of them; the events of each are unpacked when they are first read. */
export const readLayers = async (db: Database, songId: string, only?: string): Promise<StoredLayer[]> =>
  (await packedLayers(db, songId, undefined, only)).map(unpacked);

/** Writes down of which layers takes were made. */
export const markTaken = (db: Database, songId: string): Promise<void> =>
  db.transaction(async (tx) => {
    const taken = await notMarked(tx, songId);
    if (taken.length > 0) await tx<LayerRow>('layers').whereIn('id', taken).update({ taken: 1 });
  });

/**
 * The layers of which takes were made, and for which that is not written down yet: those that the song mentions now or
 * that its history does. A layer that was closed and is in neither waits for its take: the page went between the two.
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

/** The closed layers by id, as the core reads them. */
export const closedLayers = (stored: readonly StoredLayer[]): Map<string, Layer> =>
  new Map(stored.filter(isClosed).map((layer) => [layer.header.id, layer]));
