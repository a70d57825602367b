import type { Mode } from '../../core/vocabulary/modes';
import type { Layer, LayerClosing, LayerEvent, LayerHeader } from '../../core/takes/layer';
import type { Database } from './database';
import { asObject } from './text';

interface LayerRow {
  id: string;
  song_id: string;
  header: string;
  mode: Mode;
  closing: string | null;
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
}

/** Opening the same layer again changes nothing. */
export async function openLayer(db: Database, songId: string, header: LayerHeader, mode: Mode): Promise<void> {
  await db('layers')
    .insert({ id: header.id, song_id: songId, header: JSON.stringify(header), mode, closing: null })
    .onConflict('id')
    .ignore();
}

export const layerExists = async (db: Database, id: string): Promise<boolean> =>
  (await db<LayerRow>('layers').where({ id }).first('id')) !== undefined;

/** Sending the same numbered chunk twice is harmless. A closed layer takes no more. */
export async function addChunk(
  db: Database,
  layerId: string,
  sequence: number,
  events: readonly LayerEvent[],
): Promise<'kept' | 'closed' | 'unknown'> {
  const row = await db<LayerRow>('layers').where({ id: layerId }).first();
  if (!row) return 'unknown';
  const known = await db<ChunkRow>('layer_chunks').where({ layer_id: layerId, sequence }).first('sequence');
  if (known) return 'kept';
  if (row.closing !== null) return 'closed';
  await db('layer_chunks').insert({ layer_id: layerId, sequence, events: JSON.stringify(events) });
  return 'kept';
}

/** Closes a layer for good; closing it again is harmless and changes nothing. */
export async function closeLayer(db: Database, layerId: string, closing: LayerClosing): Promise<void> {
  await db('layers')
    .where({ id: layerId, closing: null })
    .update({ closing: JSON.stringify(closing) });
}

/** A song's layers as JSON text, each chunk as it lies in the database. */
export async function layersText(db: Database, songId: string): Promise<string> {
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
