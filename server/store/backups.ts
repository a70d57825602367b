import { existsSync } from 'node:fs';
import { copyFile, mkdir, readdir, rename, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { copySong } from '../../core/song/copy';
import type { Layer } from '../../core/takes/layer';
import { addSongWithLayers } from './copies';
import { openDatabase, type Database } from './database';
import { addJob, type JobFacts } from './jobs';
import { closedLayers, readLayers } from './layers';
import { outlived } from './retention';
import { readSong } from './songs';

const DATABASE = 'tall-kettle.sqlite';
const AUDIO = 'audio';
const BACKUPS = 'backups';
const NAME = /^(\d{4}-\d\d-\d\d)T(\d\d)-(\d\d)-(\d\d)Z$/;

/** A backup's folder is named for the second it was made in. */
const nameOf = (at: Date): string => `${at.toISOString().slice(0, 19).replaceAll(':', '-')}Z`;
const timeOf = (name: string): number => Date.parse(name.replace(NAME, '$1T$2:$3:$4Z'));

/** The backups' folder, in the data folder. */
export const backupsOf = (folder: string): string => join(folder, BACKUPS);

export interface Backup {
  readonly name: string;
  /** When it was made, as an ISO date and time. */
  readonly at: string;
  readonly bytes: number;
}

const sizeOf = (path: string): Promise<number> =>
  stat(path).then(
    (s) => s.size,
    () => 0,
  );

/**
 * A whole copy of the database while it is in use, by SQLite's own backup: as it was at one moment, under its final
 * name only when it is complete.
 */
async function snapshot(folder: string, to: string): Promise<void> {
  await mkdir(to, { recursive: true });
  const unfinished = join(to, '.unfinished');
  const source = new Sqlite(join(folder, DATABASE), { readonly: true, fileMustExist: true });
  try {
    await source.backup(unfinished);
  } finally {
    source.close();
  }
  await rename(unfinished, join(to, DATABASE));
}

let making: Promise<unknown> = Promise.resolve();

/**
 * Makes a backup inside the data folder, one at a time; a second within a second is the same one. The audio beside it
 * is never changed or thrown out, so it is not copied.
 */
export function makeBackup(folder: string, at: Date): Promise<Backup> {
  const made = making.then(() => makeOne(folder, at));
  making = made.catch(() => {});
  return made;
}

async function makeOne(folder: string, at: Date): Promise<Backup> {
  const name = nameOf(at);
  const path = join(backupsOf(folder), name);
  if (!existsSync(join(path, DATABASE))) {
    try {
      await snapshot(folder, path);
    } catch (error) {
      await rm(path, { recursive: true, force: true });
      throw error;
    }
  }
  return { name, at: new Date(timeOf(name)).toISOString(), bytes: await sizeOf(join(path, DATABASE)) };
}

/** The backups in a data folder, the newest first. One that was broken off is none. */
export async function listBackups(folder: string): Promise<Backup[]> {
  const names = await readdir(backupsOf(folder)).catch(() => []);
  const found = await Promise.all(
    names
      .filter((name) => NAME.test(name) && existsSync(join(backupsOf(folder), name, DATABASE)))
      .map(async (name) => ({
        name,
        at: new Date(timeOf(name)).toISOString(),
        bytes: await sizeOf(join(backupsOf(folder), name, DATABASE)),
      })),
  );
  return found.sort((a, b) => b.name.localeCompare(a.name));
}

/** Lets go of backups that have outlived their time. */
export async function thinBackups(folder: string, now: Date): Promise<void> {
  const all = await listBackups(folder);
  const gone = new Set(
    outlived(
      all.map((b) => timeOf(b.name)),
      now.getTime(),
    ),
  );
  for (const { name } of all)
    if (gone.has(timeOf(name))) await rm(join(backupsOf(folder), name), { recursive: true, force: true });
}

/**
 * Copies everything to another folder, which then is a data folder of its own: the database as it is at this moment,
 * and the audio that is not there yet.
 * @returns how many files of audio were copied
 */
export async function backUpTo(folder: string, to: string): Promise<number> {
  await mkdir(join(to, AUDIO), { recursive: true });
  await snapshot(folder, to);
  // A log beside the former copy belongs to that one.
  for (const left of ['-wal', '-shm']) await rm(join(to, DATABASE + left), { force: true });
  let copied = 0;
  for (const name of await readdir(join(folder, AUDIO)).catch(() => [])) {
    const [from, target] = [join(folder, AUDIO, name), join(to, AUDIO, name)];
    if (name.startsWith('.') || (await sizeOf(target)) === (await sizeOf(from))) continue;
    const unfinished = join(to, AUDIO, `.${name}`);
    await copyFile(from, unfinished);
    await rename(unfinished, target);
    copied += 1;
  }
  return copied;
}

/** A backup that is looked into, brought up to date in a copy of its own, which goes when the work is done. */
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

/** A song in a backup. */
export interface BackupSong {
  readonly id: string;
  readonly title: string;
  readonly job: string;
  /** How many changes it had. */
  readonly changes: number;
}

/** The songs in a backup; undefined where there is no such backup. */
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
    return 'A song that cannot be read';
  }
}

/**
 * Brings a song back as it was in a backup, beside what there is now: nothing is written over.
 * @returns its new id; undefined where the backup or the song is not there
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
    const song = await readSong(then, songId);
    if (!song) return undefined;
    const layers: Layer[] = [...closedLayers(await readLayers(then, songId)).values()];
    const of = new Date(timeOf(name)).toISOString().slice(0, 16).replace('T', ' ');
    const copy = copySong(song.document, layers, `${song.document.title} (as of ${of})`.slice(0, 120), newId);
    const job = await then<JobFacts>('jobs').where({ id: song.jobId }).first('id', 'title', 'client', 'due', 'notes');
    const id = newId();
    await db.transaction(async (tx) => {
      const there = await tx('jobs').where({ id: song.jobId }).first('id');
      if (!there && job) await addJob(tx, job, now.toISOString());
      await addSongWithLayers(tx, id, song.jobId, copy.document, copy.layers);
    });
    return id;
  });

/** Puts a backup's database in the place of the present one, which must be closed. */
export async function putBack(folder: string, name: string): Promise<void> {
  const unfinished = join(folder, '.putting-back');
  await copyFile(join(backupsOf(folder), name, DATABASE), unfinished);
  for (const left of ['-wal', '-shm']) await rm(join(folder, DATABASE + left), { force: true });
  await rename(unfinished, join(folder, DATABASE));
}

/** What lies on the disk, in bytes. */
export interface DiskUse {
  readonly database: number;
  readonly audio: { readonly files: number; readonly bytes: number };
  /** Audio that no song and no take mentions, on whatever shelf it lies and however far its history is gone back. */
  readonly unused: { readonly files: number; readonly bytes: number };
  readonly backups: { readonly count: number; readonly bytes: number };
  /** What is free on the disk; null where the system does not say. */
  readonly free: number | null;
}

/** Adds up what lies in the data folder, and what of it nothing mentions any more. */
export async function diskUse(db: Database, folder: string): Promise<DiskUse> {
  const files = (await readdir(join(folder, AUDIO)).catch(() => [])).filter((name) => !name.startsWith('.'));
  const used = new Set<string>();
  const mentions = (text: string) => {
    for (const [hash] of text.matchAll(/[0-9a-f]{64}/g)) used.add(hash);
  };
  for (const { document } of await db<{ document: string }>('songs').select('document')) mentions(document);
  const changes = await db<{ patches: string; inverse: string }>('song_changes')
    .where('patches', 'like', '%"audio"%')
    .orWhere('inverse', 'like', '%"audio"%')
    .select('patches', 'inverse');
  for (const { patches, inverse } of changes) mentions(patches + inverse);
  for (const audio of await db('recordings').whereNotNull('audio').pluck('audio')) used.add(audio as string);
  const sizes = await Promise.all(
    files.map(async (name) => ({ hash: name.slice(0, 64), bytes: await sizeOf(join(folder, AUDIO, name)) })),
  );
  const sum = (all: readonly { readonly bytes: number }[]) => ({
    files: all.length,
    bytes: all.reduce((total, { bytes }) => total + bytes, 0),
  });
  const backups = await listBackups(folder);
  const room = await statfs(folder).catch(() => undefined);
  const own = await Promise.all(['', '-wal', '-shm'].map((end) => sizeOf(join(folder, DATABASE + end))));
  return {
    database: own.reduce((a, b) => a + b, 0),
    audio: sum(sizes),
    unused: sum(sizes.filter(({ hash }) => !used.has(hash))),
    backups: { count: backups.length, bytes: sum(backups).bytes },
    free: room ? room.bavail * room.bsize : null,
  };
}
