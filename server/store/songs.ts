import { patched, stacksOf, type HistoryRow, type Patch, type Stacks } from '../../core/song/history';
import { songSchema, type SongDocument } from '../../core/document/document';
import type { Database } from './database';
import { songOf, textOf } from './songText';

export interface StoredSong {
  readonly id: string;
  /** Id of the change that made this revision; null where it had none. */
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
  /** Id of the change, by which a repeated one is recognized; null without one. */
  readonly id: string | null;
  /** Revision that the change was made on. */
  readonly base: number;
  /** Id of the change that made that revision; null where unknown. */
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
  document: songOf(row.document),
});

/** Adds a song at the end of its job. @throws ZodError for an invalid one */
export function addSong(db: Database, id: string, jobId: string, document: SongDocument): Promise<StoredSong> {
  const valid = songSchema.parse(document);
  return db.transaction(async (tx) => {
    const last = await tx('songs').where({ job_id: jobId }).max('position as at').first<{ at: number | null }>();
    const position = (last?.at ?? -1) + 1;
    await tx('songs').insert({ id, job_id: jobId, position, revision: 0, document: textOf(valid) });
    return { id, lastChange: null, jobId, revision: 0, document: valid };
  });
}

/** Moves a song to the end of another job. @returns false where one of them does not exist */
export function moveSong(db: Database, id: string, jobId: string): Promise<boolean> {
  return db.transaction(async (tx) => {
    if (!(await tx('jobs').where({ id: jobId }).first('id'))) return false;
    const last = await tx('songs').where({ job_id: jobId }).max('position as at').first<{ at: number | null }>();
    return (
      (await tx('songs')
        .where({ id })
        .update({ job_id: jobId, position: (last?.at ?? -1) + 1 })) > 0
    );
  });
}

async function lastChangeOf(db: Database, { id, revision }: SongRow): Promise<string | null> {
  const at = { song_id: id, revision } as never;
  return (await db<ChangeRow>('song_changes').where(at).first('change_id'))?.change_id ?? null;
}

export async function readSong(db: Database, id: string): Promise<StoredSong | undefined> {
  const row = await db<SongRow>('songs').where({ id }).first();
  return row && fromRow(row, await lastChangeOf(db, row));
}

/** Most undo steps, and most bytes of them, that are sent with a song; older ones are sent when needed. */
export const MOST_STEPS = 100;
const FEWEST_STEPS = 5;
const MOST_LENGTH = 400_000;

/** Undo steps, the latest last, with the number of those before them. */
export interface Steps {
  readonly rows: readonly HistoryRow[];
  readonly older: number;
}

type Step = Pick<ChangeRow, 'revision' | 'kind'> & { readonly length: number };

const LENGTH = 'octet_length(patches) + octet_length(inverse) as length';
const stepsOf = (db: Database, songId: string) =>
  db<ChangeRow>('song_changes')
    .where({ song_id: songId } as never)
    .orderBy('revision')
    .select('revision', 'kind', db.raw(LENGTH)) as unknown as Promise<Step[]>;

async function wholeRows(db: Database, songId: string, steps: readonly Step[]): Promise<HistoryRow[]> {
  if (steps.length === 0) return [];
  const rows = await db<ChangeRow>('song_changes')
    .where({ song_id: songId, kind: 'do' } as never)
    .whereBetween('revision', [steps[0]!.revision, steps.at(-1)!.revision]);
  const byRevision = new Map(rows.map((r) => [r.revision, r]));
  return steps.map(({ revision }) => {
    const { change_id, kind, name, patches, inverse } = byRevision.get(revision)!;
    return {
      revision,
      id: change_id,
      kind,
      name,
      patches: JSON.parse(patches) as Patch[],
      inverse: JSON.parse(inverse) as Patch[],
    };
  });
}

/** Latest steps, as many as are sent at once. */
async function latest(db: Database, songId: string, steps: readonly Step[]): Promise<Steps> {
  let from = steps.length;
  for (let length = 0; from > 0 && steps.length - from < MOST_STEPS; from -= 1) {
    length += steps[from - 1]!.length;
    if (length > MOST_LENGTH && steps.length - from >= FEWEST_STEPS) break;
  }
  return { rows: await wholeRows(db, songId, steps.slice(from)), older: from };
}

/** Present undo and redo stacks. Settings, and steps that cannot be redone any more, stay in the database only. */
export async function readStacks(db: Database, songId: string): Promise<Stacks & { readonly older: number }> {
  const { done, undone } = stacksOf(await stepsOf(db, songId));
  const { rows, older } = await latest(db, songId, done);
  // The step undone first is the latest change.
  return { done: rows, undone: (await wholeRows(db, songId, [...undone].reverse())).reverse(), older };
}

/** Undo steps before a given one. */
export async function stepsBefore(db: Database, songId: string, revision: number): Promise<Steps> {
  const steps = await stepsOf(db, songId);
  return latest(db, songId, stacksOf(steps.filter((step) => step.revision < revision)).done);
}

export const songExists = async (db: Database, id: string): Promise<boolean> =>
  (await db<SongRow>('songs').where({ id }).first('id')) !== undefined;

/** @returns undefined where there is no such song */
export const revisionOf = async (db: Database, id: string): Promise<number | undefined> =>
  (await db<SongRow>('songs').where({ id }).first('revision'))?.revision;

export type ChangeOutcome =
  /** Revision that it made, now or at its first arrival. */
  | { readonly type: 'changed'; readonly revision: number }
  /** Invalid patches, or a result that is no valid song. */
  | { readonly type: 'misfit'; readonly why: string }
  | { readonly type: 'stale'; readonly song: StoredSong }
  | { readonly type: 'unknown' };

/** Result of some work, or its error. */
function tried<T>(work: () => T): T | Error {
  try {
    return work();
  } catch (error) {
    return error instanceof Error ? error : new Error(String(error));
  }
}

/**
 * Applies a change in one transaction. A change of another revision than the song's is stale; one with a known id is
 * not repeated.
 * @throws errors of the database
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
    // Revision numbers can be equal by chance, so the ids of the changes are compared too.
    const elsewhere = change.after !== null && song.lastChange !== null && change.after !== song.lastChange;
    if (song.revision !== change.base || elsewhere) return { type: 'stale', song };
    const revision = song.revision + 1;
    const document = tried(() => patched(song.document, change.patches));
    if (document instanceof Error) return { type: 'misfit', why: document.message.slice(0, 200) };
    await tx('songs')
      .where({ id: songId })
      .update({ revision, document: textOf(document) });
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
