import { patched, type HistoryRow, type Patch } from '../../core/song/history';
import { songSchema, type SongDocument } from '../../core/document/document';
import type { Database } from './database';
import { asFields, asObject } from './text';

export interface StoredSong {
  readonly id: string;
  readonly jobId: string;
  readonly revision: number;
  readonly document: SongDocument;
}

interface SongRow {
  id: string;
  job_id: string;
  revision: number;
  document: string;
}
interface ChangeRow {
  revision: number;
  kind: HistoryRow['kind'];
  name: string;
  patches: string;
  inverse: string;
}

export interface NewChange {
  /** The revision the change was made on. */
  readonly base: number;
  readonly kind: HistoryRow['kind'];
  readonly name: string;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

const fromRow = (row: SongRow): StoredSong => ({
  id: row.id,
  jobId: row.job_id,
  revision: row.revision,
  document: songSchema.parse(JSON.parse(row.document)),
});

export async function addSong(db: Database, id: string, jobId: string, document: SongDocument): Promise<StoredSong> {
  const valid = songSchema.parse(document);
  const last = await db('songs').where({ job_id: jobId }).max('position as at').first<{ at: number | null }>();
  await db('songs').insert({
    id,
    job_id: jobId,
    position: (last?.at ?? -1) + 1,
    revision: 0,
    document: JSON.stringify(valid),
  });
  return { id, jobId, revision: 0, document: valid };
}

export async function readSong(db: Database, id: string): Promise<StoredSong | undefined> {
  const row = await db<SongRow>('songs').where({ id }).first();
  return row && fromRow(row);
}

/**
 * A song and its history as JSON text, as they lie in the database: what was valid when it was written is not read
 * again.
 */
export async function songText(db: Database, id: string): Promise<{ jobId: string; fields: string } | undefined> {
  const row = await db<SongRow>('songs').where({ id }).first();
  if (!row) return undefined;
  const rows = await db<ChangeRow>('song_changes')
    .where({ song_id: id } as never)
    .orderBy('revision');
  const history = rows.map((r) =>
    asObject({
      revision: String(r.revision),
      kind: JSON.stringify(r.kind),
      name: JSON.stringify(r.name),
      patches: r.patches,
      inverse: r.inverse,
    }),
  );
  return {
    jobId: row.job_id,
    fields: asFields({
      id: JSON.stringify(id),
      jobId: JSON.stringify(row.job_id),
      revision: String(row.revision),
      document: row.document,
      history: `[${history.join()}]`,
    }),
  };
}

export type ChangeOutcome =
  | { readonly type: 'changed'; readonly revision: number }
  | { readonly type: 'stale'; readonly song: StoredSong }
  | { readonly type: 'unknown' };

/**
 * Applies a change, whole or not at all. One that was made on another revision than the song has is stale.
 * @throws when the patches do not apply, or leave something that is no song
 */
export function changeSong(db: Database, songId: string, change: NewChange, at: string): Promise<ChangeOutcome> {
  return db.transaction(async (tx): Promise<ChangeOutcome> => {
    const row = await tx<SongRow>('songs').where({ id: songId }).first();
    if (!row) return { type: 'unknown' };
    const song = fromRow(row);
    if (song.revision !== change.base) return { type: 'stale', song };
    const revision = song.revision + 1;
    const document = patched(song.document, change.patches);
    await tx('songs')
      .where({ id: songId })
      .update({ revision, document: JSON.stringify(document) });
    await tx('song_changes').insert({
      song_id: songId,
      revision,
      kind: change.kind,
      name: change.name,
      patches: JSON.stringify(change.patches),
      inverse: JSON.stringify(change.inverse),
      made_at: at,
    });
    return { type: 'changed', revision };
  });
}
