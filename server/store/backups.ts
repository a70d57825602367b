import { existsSync } from 'node:fs';
import { copyFile, link, mkdir, readdir, readFile, rename, rm, stat, statfs, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { copySong } from '../../core/song/copy';
import { recovered } from '../../core/song/recovery';
import type { Milliseconds } from '../../core/time/units';
import { storeAudio } from './audio';
import { belongingsOf } from './belongings';
import { addSongWithLayers } from './copies';
import { openDatabase, type Database } from './database';
import { addJob, type JobFacts } from './jobs';
import { markTaken, readLayers } from './layers';
import { ifMissing } from './missing';
import { oneByOne } from './oneByOne';
import { bringRecording, folderOf as recordingsIn, isClosed, recordingsByNow } from './recordings';
import { outlived } from './retention';
import { readSong } from './songs';
import { copyDatabase } from './sqlite';

const DATABASE = 'tall-kettle.sqlite';
const AUDIO = 'audio';
const BACKUPS = 'backups';
/** The number under which it was made: the day's clock may have been anything. */
const ORDER = 'order';
const NAME = /^(\d{4}-\d\d-\d\d)T(\d\d)-(\d\d)-(\d\d)Z(?:-\d+)?$/;

/** A backup's folder is named for the second it was made in. */
const nameOf = (at: Date): string => `${at.toISOString().slice(0, 19).replaceAll(':', '-')}Z`;
const timeOf = (name: string): number => Date.parse(name.replace(NAME, '$1T$2:$3:$4Z'));

/** The backups' folder, in the data folder. */
export const backupsOf = (folder: string): string => join(folder, BACKUPS);

export interface Backup {
  readonly name: string;
  /** The time at which it was made, by the day's clock, as an ISO date and time. */
  readonly at: string;
  /** The number under which it was made, from 1, whatever the clock said. */
  readonly order: number;
  readonly bytes: number;
}

const sizeOf = (path: string): Promise<number> =>
  stat(path).then(
    (s) => s.size,
    () => 0,
  );

/** The names in a folder; none where there is no such folder. */
const namesIn = (folder: string): Promise<string[]> => readdir(folder).catch(ifMissing([]));

/**
 * Gives a file a second name, under which it stays when the first one goes; on a disk that has no second names, a copy.
 * @param path one that is not there any more is left out
 */
async function alsoAt(path: string, to: string): Promise<void> {
  if (existsSync(to)) return;
  await link(path, to)
    .catch(() => copyFile(path, to))
    .catch(ifMissing(undefined));
}

/** The samples of recordings that are open: a pass may be under way. */
async function withRecordings(folder: string, to: string): Promise<void> {
  await mkdir(recordingsIn(to), { recursive: true });
  for (const name of await namesIn(recordingsIn(folder)))
    await alsoAt(join(recordingsIn(folder), name), join(recordingsIn(to), name));
}

/**
 * A whole copy of the database while it is in use, as it was at one moment, under its final
 * name only when it is complete. The samples of its open recordings lie beside it: those that are there before the
 * moment and those that are there after it, since one may be opened or closed meanwhile.
 */
async function snapshot(folder: string, to: string): Promise<void> {
  await mkdir(to, { recursive: true });
  const unfinished = join(to, '.unfinished');
  await withRecordings(folder, to);
  await rm(unfinished, { force: true });
  await copyDatabase(join(folder, DATABASE), unfinished);
  await withRecordings(folder, to);
  await rename(unfinished, join(to, DATABASE));
}

const inTurn = oneByOne();
/** The last backup of each folder, with how its database lay on the disk as that began. */
const last = new Map<string, { readonly name: string; readonly of: string }>();

/** Changes with every write to the database. */
async function writesTo(folder: string): Promise<string> {
  const files = await Promise.all(['', '-wal'].map((end) => stat(join(folder, DATABASE + end)).catch(ifMissing(null))));
  return JSON.stringify(files.map((f) => f && [f.ino, f.size, f.mtimeMs]));
}

/**
 * Makes a backup inside the data folder, one at a time; where nothing was written since the last one, it is that one.
 * The audio beside it is never changed or thrown out, so it is not copied.
 * @param at the day's clock, which names it
 */
export const makeBackup = (folder: string, at: Date): Promise<Backup> => inTurn(folder, () => makeOne(folder, at));

async function makeOne(folder: string, at: Date): Promise<Backup> {
  const of = await writesTo(folder);
  const before = last.get(folder);
  const all = await listBackups(folder);
  const same = before?.of === of && all.find((b) => b.name === before.name);
  if (same) return same;
  const order = (all[0]?.order ?? 0) + 1;
  const stem = nameOf(at);
  let name = stem;
  // A clock that was put back comes to the same second twice.
  for (let n = 2; existsSync(join(backupsOf(folder), name, DATABASE)); n += 1) name = `${stem}-${n}`;
  const path = join(backupsOf(folder), name);
  try {
    await mkdir(path, { recursive: true });
    await writeFile(join(path, ORDER), String(order));
    await snapshot(folder, path);
  } catch (error) {
    await rm(path, { recursive: true, force: true });
    throw error;
  }
  last.set(folder, { name, of });
  return { name, at: new Date(timeOf(name)).toISOString(), order, bytes: await sizeOf(join(path, DATABASE)) };
}

/** The backups in a data folder, the one made last first. One that was broken off is none. */
export async function listBackups(folder: string): Promise<Backup[]> {
  const names = (await namesIn(backupsOf(folder)))
    .filter((name) => NAME.test(name) && existsSync(join(backupsOf(folder), name, DATABASE)))
    .sort();
  const found = await Promise.all(
    names.map(async (name) => ({
      name,
      at: new Date(timeOf(name)).toISOString(),
      numbered: Number(await readFile(join(backupsOf(folder), name, ORDER), 'utf8').catch(ifMissing('0'))),
      bytes: await sizeOf(join(backupsOf(folder), name, DATABASE)),
    })),
  );
  // Those of an older version have none; they were made before, in the order of their names.
  const older = found.filter((b) => b.numbered === 0);
  return found
    .map(({ numbered, ...b }) => ({ ...b, order: numbered || older.findIndex((o) => o.name === b.name) + 1 }))
    .sort((a, b) => b.order - a.order || b.name.localeCompare(a.name));
}

/** Lets go of backups that have outlived their time. */
export async function thinBackups(folder: string): Promise<void> {
  const all = await listBackups(folder);
  const gone = new Set(outlived(all.map((b) => b.order)));
  for (const { name, order } of all)
    if (gone.has(order)) await rm(join(backupsOf(folder), name), { recursive: true, force: true });
}

/** The number of the last change of anything, as far as songs tell, and of the last thing recorded. */
export async function lastChange(db: Database): Promise<string> {
  const rows = await db.raw<Record<string, number | null>[]>(
    'select (select max(rowid) from song_changes) as changes, (select max(rowid) from layers) as layers, ' +
      '(select max(rowid) from recordings) as recordings, (select max(rowid) from songs) as songs',
  );
  return JSON.stringify(rows[0]);
}

/**
 * Backs up what has changed, again and again, as an hour goes by on a clock that only goes on.
 * @param every how much of that lies between two at the least
 */
export class BackupSchedule {
  readonly #folder: string;
  readonly #db: () => Promise<Database>;
  readonly #every: Milliseconds;
  #made: Milliseconds | null = null;
  #of = '';

  constructor(folder: string, db: () => Promise<Database>, every: Milliseconds) {
    this.#folder = folder;
    this.#db = db;
    this.#every = every;
  }

  /**
   * Makes a backup where one is due.
   * @param now by a clock that only goes on
   * @param day the day's clock: it names the backup, and of one from before this program began it says how old it is
   */
  async look(now: Milliseconds, day: Date): Promise<void> {
    const [newest] = await listBackups(this.#folder);
    const change = await lastChange(await this.#db());
    const age = day.getTime() - Date.parse(newest?.at ?? '');
    const isRecent = this.#made === null ? age >= 0 && age < this.#every : now - this.#made < this.#every;
    if (isRecent || change === this.#of) return;
    await makeBackup(this.#folder, day);
    this.#made = now;
    this.#of = change;
    await thinBackups(this.#folder);
  }
}

/**
 * Copies everything to another folder, which then is a data folder of its own: the database as it is at this moment,
 * the samples of what is being recorded, and the audio that is not there yet.
 * @returns how many files of audio were copied
 */
export async function backUpTo(folder: string, to: string): Promise<number> {
  await mkdir(join(to, AUDIO), { recursive: true });
  const made = join(folder, BACKUPS, `.to-${process.pid}-${Math.random().toString(36).slice(2)}`);
  try {
    await snapshot(folder, made);
    // What was being recorded at the time of the former copy belongs to that one, as does a log beside it.
    await rm(recordingsIn(to), { recursive: true, force: true });
    await mkdir(recordingsIn(to), { recursive: true });
    for (const name of await namesIn(recordingsIn(made)))
      await copyFile(join(recordingsIn(made), name), join(recordingsIn(to), name));
    await copyFile(join(made, DATABASE), join(to, '.unfinished'));
    for (const left of ['-wal', '-shm']) await rm(join(to, DATABASE + left), { force: true });
    await rename(join(to, '.unfinished'), join(to, DATABASE));
  } finally {
    await rm(made, { recursive: true, force: true });
  }
  let copied = 0;
  for (const name of await namesIn(join(folder, AUDIO))) {
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
 * Brings a song back as it was in a backup, with its sound, beside what there is now: nothing is written over. A pass
 * that was under way is a take, as far as it had come.
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
    await markTaken(then, songId);
    const song = await readSong(then, songId);
    if (!song) return undefined;
    const { backings, recordings: names } = await belongingsOf(then, songId);
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
      const hashes = [...backings, ...recordings.map((r) => r.audio)];
      const audio = await then('audio').whereIn('hash', hashes);
      await db.transaction(async (tx) => {
        const there = await tx('jobs').where({ id: song.jobId }).first('id');
        if (!there && job) await addJob(tx, job, now.toISOString());
        if (audio.length) await tx('audio').insert(audio).onConflict('hash').ignore();
        await addSongWithLayers(tx, id, song.jobId, copy.document, copy.layers);
        // One that is here under its name is the same, and has come further.
        for (const recording of recordings) await bringRecording(tx, id, recording, now.toISOString());
      });
      return id;
    } finally {
      for (const { close } of soFar) await close();
    }
  });

/** Puts a backup's database in the place of the present one, which must be closed. */
export async function putBack(folder: string, name: string): Promise<void> {
  const backup = join(backupsOf(folder), name);
  // What was being recorded then may have become a sound file since, of which the database of then knows nothing.
  await withRecordings(backup, folder);
  const unfinished = join(folder, '.putting-back');
  await copyFile(join(backup, DATABASE), unfinished);
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
  const files = (await namesIn(join(folder, AUDIO))).filter((name) => !name.startsWith('.'));
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
