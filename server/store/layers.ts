import type { Mode } from '../../core/vocabulary/modes';
import type { Layer, LayerClosing, LayerEvent, LayerHeader } from '../../core/takes/layer';
import type { Milliseconds } from '../../core/time/units';
import { FRESH } from '../../core/vocabulary/limits';
import type { Database } from './database';
import { asObject } from './text';

interface LayerRow {
  id: string;
  song_id: string;
  header: string;
  mode: Mode;
  closing: string | null;
  fed_by: string | null;
  fed_at: number | null;
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
  /** How long ago something came for it, in milliseconds, when it was read. */
  readonly fedAgo: number | null;
}

/** Opening the same layer again changes nothing. @returns 'other' where the name is taken by another song's layer */
export async function openLayer(
  db: Database,
  songId: string,
  header: LayerHeader,
  mode: Mode,
  by: string | null = null,
  now: Milliseconds = Date.now(),
): Promise<'open' | 'other'> {
  await db('layers')
    .insert({
      id: header.id,
      song_id: songId,
      header: JSON.stringify(header),
      mode,
      closing: null,
      fed_by: by,
      fed_at: now,
    })
    .onConflict('id')
    .ignore();
  const row = await db<LayerRow>('layers').where({ id: header.id }).first('song_id');
  return row?.song_id === songId ? 'open' : 'other';
}

/** A layer is being recorded, whether or not something was played. @returns false where there is none of that name */
export const keepAlive = async (db: Database, id: string, now: Milliseconds): Promise<boolean> =>
  (await db<LayerRow>('layers').where({ id }).update({ fed_at: now })) > 0;

/** Sending a numbered chunk again is harmless; another under its number is not taken. A closed layer takes no more. */
export async function addChunk(
  db: Database,
  layerId: string,
  sequence: number,
  events: readonly LayerEvent[],
  now: Milliseconds = Date.now(),
): Promise<'kept' | 'closed' | 'unknown' | 'other'> {
  const row = await db<LayerRow>('layers').where({ id: layerId }).first();
  if (!row) return 'unknown';
  const text = JSON.stringify(events);
  const known = await db<ChunkRow>('layer_chunks').where({ layer_id: layerId, sequence }).first('events');
  if (known) return known.events === text ? 'kept' : 'other';
  if (row.closing !== null) return 'closed';
  await db('layer_chunks').insert({ layer_id: layerId, sequence, events: text });
  await keepAlive(db, layerId, now);
  return 'kept';
}

/** Who closes a layer, and when; nulls where it is not said. */
export interface Closer {
  readonly songId: string | null;
  readonly by: string | null;
  readonly now: Milliseconds;
}
const ANYBODY: Closer = { songId: null, by: null, now: Infinity };

/**
 * Closes a layer for good; closing it again is harmless and changes nothing.
 * @returns 'recorded' where another browser fed it no longer ago than `FRESH`: then it stays open
 */
export async function closeLayer(
  db: Database,
  layerId: string,
  closing: LayerClosing,
  { songId, by, now }: Closer = ANYBODY,
): Promise<'closed' | 'unknown' | 'another song' | 'recorded'> {
  const row = await db<LayerRow>('layers').where({ id: layerId }).first();
  if (!row) return 'unknown';
  if (songId !== null && row.song_id !== songId) return 'another song';
  if (row.closing !== null) return 'closed';
  if (row.fed_by !== null && row.fed_by !== by && now - (row.fed_at ?? 0) < FRESH) return 'recorded';
  await db('layers')
    .where({ id: layerId, closing: null })
    .update({ closing: JSON.stringify(closing) });
  return 'closed';
}

/** A song's layers as JSON text, each chunk as it lies in the database. */
export async function layersText(db: Database, songId: string, now: Milliseconds = Date.now()): Promise<string> {
  const rows = await db<LayerRow>('layers').where({ song_id: songId });
  const chunks = await db<ChunkRow>('layer_chunks')
    .whereIn(
      'layer_id',
      rows.map((r) => r.id),
    )
    .orderBy(['layer_id', 'sequence']);
  const byLayer = new Map<string, string[]>(rows.map((r) => [r.id, []]));
  for (const { layer_id, events } of chunks) {
    const items = events.slice(1, -1);
    if (items) byLayer.get(layer_id)?.push(items);
  }
  const layers = rows.map((row) =>
    asObject({
      header: row.header,
      mode: JSON.stringify(row.mode),
      closing: row.closing ?? 'null',
      by: JSON.stringify(row.fed_by),
      fedAgo: row.fed_at === null ? 'null' : String(Math.max(0, now - row.fed_at)),
      events: `[${byLayer.get(row.id)?.join()}]`,
    }),
  );
  return `[${layers.join()}]`;
}

export const readLayers = async (db: Database, songId: string): Promise<StoredLayer[]> =>
  JSON.parse(await layersText(db, songId)) as StoredLayer[];

/** The closed layers by id, as the core reads them. */
export const closedLayers = (stored: readonly StoredLayer[]): Map<string, Layer> =>
  new Map(
    stored.flatMap((l) =>
      l.closing ? [[l.header.id, { header: l.header, closing: l.closing, events: l.events }] as const] : [],
    ),
  );
