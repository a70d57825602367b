import { atHand } from '../../core/document/part';
import { barStates, type BarState } from '../../core/song/barStates';
import { readerOf } from '../../core/song/reading';
import type { SongDocument } from '../../core/document/document';
import { standingOf, type Standing } from '../../core/handover/standing';
import type { Database } from './database';
import { closedLayers, readLayers } from './layers';
import { readSong } from './songs';
import { readDelivery, readVersion } from './versions';

export interface JobFacts {
  readonly id: string;
  readonly title: string;
  readonly client: string;
  /** ISO date or null. */
  readonly due: string | null;
  readonly notes: string;
}

/** Where a job or a song lies. Nothing is ever thrown out: what is deleted can be brought back. */
export const SHELVES = ['desk', 'away', 'deleted'] as const;
export type Shelf = (typeof SHELVES)[number];

/** A part as the Desk shows it. */
export interface PartProgress {
  readonly id: string;
  readonly name: string;
  readonly ink: SongDocument['parts'][number]['ink'];
  readonly takes: number;
  readonly bars: readonly BarState[];
}

export interface SongSummary {
  readonly id: string;
  readonly shelf: Shelf;
  readonly notes: string;
  readonly title: string;
  readonly bars: number;
  readonly bpm: number;
  readonly meter: string;
  readonly parts: readonly PartProgress[];
  readonly standing: Standing;
  /** It is in the database and cannot be read: it stays as it is, and the rest of the Desk is not held up by it. */
  readonly unreadable?: boolean;
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

type Summary = Omit<SongSummary, 'shelf'>;

/** Reading a song's line takes a while, and it changes only with the song's revision: it is kept beside the song. */
async function summaryOf(db: Database, id: string, revision: number): Promise<Summary | undefined> {
  const known = await db<{ revision: number; summary: string }>('song_summaries')
    .where({ song_id: id } as never)
    .first();
  // One that was kept before it said how far the song is from its client is made again.
  const summarized = known?.revision === revision ? (JSON.parse(known.summary) as Partial<Summary>) : undefined;
  if (summarized?.standing) return summarized as Summary;
  const song = await readSong(db, id);
  if (!song) return undefined;
  const layers = closedLayers(await readLayers(db, id));
  const { document } = song;
  const reader = readerOf(layers, document.clocks);
  const meter = document.meter[0]!;
  const summary: Summary = {
    id,
    title: document.title,
    notes: document.notes,
    bars: document.bars,
    bpm: document.tempo[0]!.bpm,
    meter: `${meter.beats}/${meter.unit}`,
    parts: atHand(document.parts).map((part) => ({
      id: part.id,
      name: part.name,
      ink: part.ink,
      takes: part.takes.length,
      bars: barStates(part, layers, document, reader),
    })),
    standing: standingOf(document, layers, (await readDelivery(db, song.jobId))!, await readVersion(db, id), reader),
  };
  await db('song_summaries')
    .insert({ song_id: id, revision, summary: JSON.stringify(summary) })
    .onConflict('song_id')
    .merge();
  return summary;
}

const unreadable = (id: string): Summary => ({
  id,
  title: 'A song that cannot be read',
  notes: '',
  bars: 0,
  bpm: 0,
  meter: '',
  parts: [],
  standing: { state: 'nothing', things: 0, version: 0 },
  unreadable: true,
});

interface Shelved {
  away_at: string | null;
  deleted_at: string | null;
}
function shelfOf({ away_at: away, deleted_at: deleted }: Shelved): Shelf {
  if (deleted) return 'deleted';
  return away ? 'away' : 'desk';
}

/** Every job with its songs, on whatever shelf they lie, the newest first. */
export async function readJobs(db: Database): Promise<JobSummary[]> {
  const jobs = await db<JobFacts & Shelved & { created_at: string }>('jobs').orderBy('created_at', 'desc');
  const songs = await db<Shelved & { id: string; job_id: string; revision: number }>('songs')
    .orderBy('position')
    .select('id', 'job_id', 'revision', 'away_at', 'deleted_at');
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
          songs
            .filter((s) => s.job_id === job.id)
            .map(async (s) => {
              const summary = await summaryOf(db, s.id, s.revision).catch(() => unreadable(s.id));
              return summary ? [{ ...summary, shelf: shelfOf(s) }] : [];
            }),
        )
      ).flat(),
    })),
  );
}

/** Changes what is said of a job. Returns whether it is there. */
export const setJob = async (db: Database, id: string, to: Partial<Omit<JobFacts, 'id'>>): Promise<boolean> =>
  Object.keys(to).length === 0 ? jobExists(db, id) : (await db('jobs').where({ id }).update(to)) > 0;

/** Puts a job or a song on a shelf. Returns whether it is there. */
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
