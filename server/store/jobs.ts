import { barStates, type BarState } from '../../core/song/song';
import type { SongDocument } from '../../core/song/document';
import type { Database } from './database';
import { closedLayers, readLayers } from './layers';
import { readSong } from './songs';

export interface JobFacts {
  readonly id: string;
  readonly title: string;
  readonly client: string;
  /** ISO date or null. */
  readonly due: string | null;
}

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
  readonly title: string;
  readonly bars: number;
  readonly bpm: number;
  readonly meter: string;
  readonly parts: readonly PartProgress[];
}

export interface JobSummary extends JobFacts {
  readonly songs: readonly SongSummary[];
}

export async function addJob(db: Database, job: JobFacts, at: string): Promise<void> {
  await db('jobs').insert({ ...job, created_at: at });
}

export const jobExists = async (db: Database, id: string): Promise<boolean> =>
  (await db('jobs').where({ id }).first('id')) !== undefined;

/** Reading a song's line takes a while, and it changes only with the song's revision. */
const summaries = new Map<string, { revision: number; summary: SongSummary }>();

async function summaryOf(db: Database, id: string, revision: number): Promise<SongSummary | undefined> {
  const known = summaries.get(id);
  if (known?.revision === revision) return known.summary;
  const song = await readSong(db, id);
  if (!song) return undefined;
  const layers = closedLayers(await readLayers(db, id));
  const { document } = song;
  const meter = document.meter[0]!;
  const summary: SongSummary = {
    id, title: document.title, bars: document.bars, bpm: document.tempo[0]!.bpm, meter: `${meter.beats}/${meter.unit}`,
    parts: document.parts.map((part) =>
      ({ id: part.id, name: part.name, ink: part.ink, takes: part.takes.length, bars: barStates(part, layers, document) })),
  };
  summaries.set(id, { revision, summary });
  return summary;
}

export async function readJobs(db: Database): Promise<JobSummary[]> {
  const jobs = await db<JobFacts & { created_at: string }>('jobs').orderBy('created_at', 'desc');
  const songs = await db<{ id: string; job_id: string; revision: number }>('songs').orderBy('position').select('id', 'job_id', 'revision');
  return Promise.all(jobs.map(async ({ id, title, client, due }) => ({
    id, title, client, due,
    songs: (await Promise.all(songs.filter((s) => s.job_id === id).map((s) => summaryOf(db, s.id, s.revision)))).flatMap((s) => s ?? []),
  })));
}
