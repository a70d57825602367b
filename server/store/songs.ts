import { patched, type HistoryRow, type Patch } from '../../core/song/history';
import { songSchema, type SongDocument } from '../../core/document/document';
import type { Database } from './database';
import { asFields, asObject } from './text';

export interface StoredSong {
  readonly id: string;
  /** The id of the change that made this revision, where it had one. */
  readonly lastChange: string | null;
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
  change_id: string | null;
}

export interface NewChange {
  /** The change's own name, by which it is known when it comes again; null for one that has none. */
  readonly id: string | null;
  /** The revision the change was made on. */
  readonly base: number;
  /** The id of the change that had made that revision; null where it is not known. */
  readonly after: string | null;
  readonly kind: HistoryRow['kind'];
  readonly name: string;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

const fromRow = (row: SongRow, lastChange: string | null): StoredSong => ({
  id: row.id,
  lastChange,
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
  return { id, lastChange: null, jobId, revision: 0, document: valid };
}

async function lastChangeOf(db: Database, { id, revision }: SongRow): Promise<string | null> {
  const at = { song_id: id, revision } as never;
  return (await db<ChangeRow>('song_changes').where(at).first('change_id'))?.change_id ?? null;
}

export async function readSong(db: Database, id: string): Promise<StoredSong | undefined> {
  const row = await db<SongRow>('songs').where({ id }).first();
  return row && fromRow(row, await lastChangeOf(db, row));
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
      id: JSON.stringify(r.change_id),
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
      lastChange: JSON.stringify(rows.at(-1)?.change_id ?? null),
      document: row.document,
      history: `[${history.join()}]`,
    }),
  };
}

export const songExists = async (db: Database, id: string): Promise<boolean> =>
  (await db<SongRow>('songs').where({ id }).first('id')) !== undefined;

export type ChangeOutcome =
  /** The revision that it made, now or when it came first. */
  | { readonly type: 'changed'; readonly revision: number }
  /** Its patches do not apply, or leave something that is no song. */
  | { readonly type: 'misfit'; readonly why: string }
  | { readonly type: 'stale'; readonly song: StoredSong }
  | { readonly type: 'unknown' };

/** What comes of some work, or the error that it threw. */
function tried<T>(work: () => T): T | Error {
  try {
    return work();
  } catch (error) {
    return error instanceof Error ? error : new Error(String(error));
  }
}

/**
 * Applies a change, whole or not at all. One that was made on another revision than the song has is stale; one that is
 * known by its id is not made again.
 * @throws what the database throws
 */
export function changeSong(db: Database, songId: string, change: NewChange, at: string): Promise<ChangeOutcome> {
  return db.transaction(async (tx): Promise<ChangeOutcome> => {
    const row = await tx<SongRow>('songs').where({ id: songId }).first();
    if (!row) return { type: 'unknown' };
    const known =
      change.id !== null &&
      (await tx<ChangeRow>('song_changes')
        .where({ song_id: songId, change_id: change.id } as never)
        .first('revision'));
    if (known) return { type: 'changed', revision: known.revision };
    const song = fromRow(row, await lastChangeOf(tx, row));
    // The number alone may be the same by chance: what it was made on has to be the same change.
    const elsewhere = change.after !== null && song.lastChange !== null && change.after !== song.lastChange;
    if (song.revision !== change.base || elsewhere) return { type: 'stale', song };
    const revision = song.revision + 1;
    const document = tried(() => patched(song.document, change.patches));
    if (document instanceof Error) return { type: 'misfit', why: document.message.slice(0, 200) };
    await tx('songs')
      .where({ id: songId })
      .update({ revision, document: JSON.stringify(document) });
    await tx('song_changes').insert({
      song_id: songId,
      revision,
      change_id: change.id,
      kind: change.kind,
      name: change.name,
      patches: JSON.stringify(change.patches),
      inverse: JSON.stringify(change.inverse),
      made_at: at,
    });
    return { type: 'changed', revision };
  });
}
