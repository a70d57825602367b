import { NewerSong } from '../../core/document/versions';
import type { Database } from './database';
import { storageFault } from './faults';
import { keptSummaries, summaryOf, unreadable, type Summary } from './summaries';

export interface JobFacts {
  readonly id: string;
  readonly title: string;
  readonly client: string;
  /** ISO date or null. */
  readonly due: string | null;
  readonly notes: string;
}

/** Shelves of jobs and songs. Nothing is destroyed: deleted things can be brought back. */
export const SHELVES = ['desk', 'away', 'deleted'] as const;
export type Shelf = (typeof SHELVES)[number];

export interface SongSummary extends Summary {
  readonly shelf: Shelf;
}

export interface JobSummary extends JobFacts {
  readonly shelf: Shelf;
  readonly createdAt: string;
  readonly songs: readonly SongSummary[];
}

export async function addJob(db: Database, job: JobFacts, at: string): Promise<void> {
  await db('jobs').insert({ ...job, created_at: at });
}

export const jobExists = async (db: Database, id: string): Promise<boolean> =>
  (await db('jobs').where({ id }).first('id')) !== undefined;

interface Shelved {
  away_at: string | null;
  deleted_at: string | null;
}
function shelfOf({ away_at: away, deleted_at: deleted }: Shelved): Shelf {
  if (deleted) return 'deleted';
  return away ? 'away' : 'desk';
}

/**
 * Jobs with their songs, on all shelves, the newest first.
 * @param write connection by which computed facts are cached
 */
export async function readJobs(db: Database, write: Database = db): Promise<JobSummary[]> {
  const jobs = await db<JobFacts & Shelved & { created_at: string; delivery: string | null }>('jobs').orderBy(
    'created_at',
    'desc',
  );
  const songs = await db<Shelved & { id: string; job_id: string; revision: number }>('songs')
    .orderBy('position')
    .select('id', 'job_id', 'revision', 'away_at', 'deleted_at');
  const versions = await db('versions').groupBy('song_id').select('song_id').max('number as number');
  const versionOf = new Map((versions as { song_id: string; number: number }[]).map((v) => [v.song_id, v.number]));
  const kept = await keptSummaries(db);
  const songsOf = new Map(jobs.map((job) => [job.id, [] as typeof songs]));
  for (const song of songs) songsOf.get(song.job_id)?.push(song);
  return Promise.all(
    jobs.map(async (job) => ({
      id: job.id,
      title: job.title,
      client: job.client,
      due: job.due,
      notes: job.notes,
      shelf: shelfOf(job),
      createdAt: job.created_at,
      songs: (
        await Promise.all(
          (songsOf.get(job.id) ?? []).map(async (s) => {
            const version = versionOf.get(s.id) ?? 0;
            const source = { id: s.id, revision: s.revision, delivery: job.delivery, version };
            const summary = await summaryOf(db, source, kept.get(s.id), write).catch((error: unknown) => {
              if (storageFault(error)) throw error;
              console.error(`The song ${s.id} cannot be read, and was left as it is:`, error);
              return unreadable(s.id, error instanceof NewerSong);
            });
            return summary ? [{ ...summary, shelf: shelfOf(s) }] : [];
          }),
        )
      ).flat(),
    })),
  );
}

/** Changes a job's facts. @returns false where there is no such job */
export const setJob = async (db: Database, id: string, to: Partial<Omit<JobFacts, 'id'>>): Promise<boolean> =>
  Object.keys(to).length === 0 ? jobExists(db, id) : (await db('jobs').where({ id }).update(to)) > 0;

/** Moves a job or song to a shelf. @returns false where it does not exist */
export const shelve = async (
  db: Database,
  table: 'jobs' | 'songs',
  id: string,
  shelf: Shelf,
  at: string,
): Promise<boolean> =>
  (await db(table)
    .where({ id })
    .update({ away_at: shelf === 'away' ? at : null, deleted_at: shelf === 'deleted' ? at : null })) > 0;
