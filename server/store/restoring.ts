import { existsSync } from 'node:fs';
import { copyFile, mkdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { copySong } from '../../core/song/copy';
import { recovered } from '../../core/song/recovery';
import { storeAudio } from './audio';
import { backupsOf, DATABASE, NAME, timeOf, withRecordings } from './backups';
import { belongingsOf } from './belongings';
import { addSongWithLayers } from './copies';
import { openDatabase, type Database } from './database';
import { addJob, type JobFacts } from './jobs';
import { markTaken, readLayers } from './layers';
import { bringRecording, isClosed, recordingsByNow } from './recordings';
import { readSong } from './songs';

/** Backup that is examined in a migrated copy, which is deleted afterwards. */
async function lookInto<T>(folder: string, name: string, work: (db: Database) => Promise<T>): Promise<T | undefined> {
  const path = join(backupsOf(folder), name, DATABASE);
  if (!NAME.test(name) || !existsSync(path)) return undefined;
  const copy = join(backupsOf(folder), `.look-${process.pid}-${Math.random().toString(36).slice(2)}`);
  await mkdir(copy, { recursive: true });
  try {
    await copyFile(path, join(copy, DATABASE));
    const db = await openDatabase(copy);
    try {
      return await work(db);
    } finally {
      await db.destroy();
    }
  } finally {
    await rm(copy, { recursive: true, force: true });
  }
}

/** Song in a backup. */
export interface BackupSong {
  readonly id: string;
  readonly title: string;
  readonly job: string;
  /** Number of its changes. */
  readonly changes: number;
}

/** Songs in a backup; undefined where there is no such backup. */
export const songsInBackup = (folder: string, name: string): Promise<BackupSong[] | undefined> =>
  lookInto(folder, name, async (db) => {
    const rows = await db<{ id: string; revision: number; document: string; job: string }>('songs')
      .join('jobs', 'jobs.id', 'songs.job_id')
      .orderBy(['jobs.title', 'songs.position'])
      .select('songs.id', 'songs.revision', 'songs.document', 'jobs.title as job');
    return rows.map(({ id, revision, document, job }) => ({ id, job, changes: revision, title: titleIn(document) }));
  });

function titleIn(document: string): string {
  try {
    return String((JSON.parse(document) as { title?: unknown }).title ?? '');
  } catch {
    // The title shows it in the list of songs.
    return 'A song that cannot be read';
  }
}

/**
 * Restores a song from a backup with its sound, beside the present ones. A pass that was under way becomes a take, as
 * far as it was stored.
 * @returns its new id; undefined where the backup or the song does not exist
 */
export const bringBackSong = (
  db: Database,
  folder: string,
  name: string,
  songId: string,
  newId: () => string,
  now: Date,
): Promise<string | undefined> =>
  lookInto(folder, name, async (then) => {
    await markTaken(then, songId);
    const song = await readSong(then, songId);
    if (!song) return undefined;
    const { backings, banks, recordings: names } = await belongingsOf(then, songId);
    const { recordings, soFar } = await recordingsByNow(then, join(backupsOf(folder), name), names);
    try {
      const sounds = new Map(recordings.map((r) => [r.id, { ...r, end: r.first + r.frames }]));
      const whole = recovered(song.document, await readLayers(then, songId), sounds);
      const of = new Date(timeOf(name)).toISOString().slice(0, 16).replace('T', ' ');
      const title = `${song.document.title} (as of ${of})`.slice(0, 120);
      const copy = copySong(whole.document, whole.layers, title, newId);
      const job = await then<JobFacts>('jobs').where({ id: song.jobId }).first('id', 'title', 'client', 'due', 'notes');
      const id = newId();
      for (const { open, recording } of soFar)
        if (!(await isClosed(db, recording.id))) await storeAudio(db, folder, open());
      const hashes = [...backings, ...banks, ...recordings.map((r) => r.audio)];
      const audio = await then('audio').whereIn('hash', hashes);
      await db.transaction(async (tx) => {
        const there = await tx('jobs').where({ id: song.jobId }).first('id');
        if (!there && job) await addJob(tx, job, now.toISOString());
        if (audio.length) await tx('audio').insert(audio).onConflict('hash').ignore();
        await addSongWithLayers(tx, id, song.jobId, copy.document, copy.layers);
        // A recording that exists is the same, and may be longer.
        for (const recording of recordings) await bringRecording(tx, id, recording, now.toISOString());
      });
      return id;
    } finally {
      for (const { close } of soFar) await close();
    }
  });

/** Replaces the present database, which must be closed, by a backup's. */
export async function putBack(folder: string, name: string): Promise<void> {
  const backup = join(backupsOf(folder), name);
  // Recordings that were open then may be sound files now, which the restored database does not know.
  await withRecordings(backup, folder);
  const unfinished = join(folder, '.putting-back');
  await copyFile(join(backup, DATABASE), unfinished);
  for (const left of ['-wal', '-shm']) await rm(join(folder, DATABASE + left), { force: true });
  await rename(unfinished, join(folder, DATABASE));
}
