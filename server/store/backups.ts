import { existsSync } from 'node:fs';
import { copyFile, link, mkdir, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { ifMissing } from './missingFiles';
import { oneByOne } from './oneByOne';
import { folderOf as recordingsIn } from './recordings';
import { outlived } from './retention';
import { copyDatabase } from './sqlite';

/** File names in a data folder and in a backup. */
export const DATABASE = 'tall-kettle.sqlite';
export const AUDIO = 'audio';
const BACKUPS = 'backups';
/** Serial number, as the wall clock may have been wrong. */
const ORDER = 'order';
/** Pattern of a backup's name. */
export const NAME = /^(\d{4}-\d\d-\d\d)T(\d\d)-(\d\d)-(\d\d)Z(?:-\d+)?$/;

/** Name of a backup's folder, from the second in which it was made. */
const nameOf = (at: Date): string => `${at.toISOString().slice(0, 19).replaceAll(':', '-')}Z`;
/** Time in a backup's name, in milliseconds since 1970. */
export const timeOf = (name: string): number => Date.parse(name.replace(NAME, '$1T$2:$3:$4Z'));

/** Folder of backups in the data folder. */
export const backupsOf = (folder: string): string => join(folder, BACKUPS);

export interface Backup {
  readonly name: string;
  /** Time by the wall clock, as an ISO date and time. */
  readonly at: string;
  /** Serial number from 1, whatever the clock. */
  readonly order: number;
  readonly bytes: number;
}

/** Length of a file in bytes; 0 where it cannot be read. */
export const sizeOf = (path: string): Promise<number> =>
  stat(path).then(
    (s) => s.size,
    () => 0,
  );

/** Names in a folder; empty where it does not exist. */
export const namesIn = (folder: string): Promise<string[]> => readdir(folder).catch(ifMissing([]));

/**
 * Links a file under a second name, so that it stays when the first is deleted; copies it on disks without links.
 * @param path a missing file is left out
 */
async function alsoAt(path: string, to: string): Promise<void> {
  if (existsSync(to)) return;
  await link(path, to)
    .catch(() => copyFile(path, to))
    .catch(ifMissing(undefined));
}

/** Samples of open recordings, as a pass may be under way. */
export async function withRecordings(folder: string, to: string): Promise<void> {
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
/** Last backup of each folder, with the state of its database then. */
const last = new Map<string, { readonly name: string; readonly of: string }>();

/** State of the database that changes with every write. */
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
  // A clock that was put back can give the same second twice.
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

/** Backups in a data folder, the newest first; incomplete ones are left out. */
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
  // Backups of older versions have no serial number; they come first, by name.
  const older = found.filter((b) => b.numbered === 0);
  return found
    .map(({ numbered, ...b }) => ({ ...b, order: numbered || older.findIndex((o) => o.name === b.name) + 1 }))
    .sort((a, b) => b.order - a.order || b.name.localeCompare(a.name));
}

/** Deletes backups beyond their retention. */
export async function thinBackups(folder: string): Promise<void> {
  const all = await listBackups(folder);
  const gone = new Set(outlived(all.map((b) => b.order)));
  for (const { name, order } of all)
    if (gone.has(order)) await rm(join(backupsOf(folder), name), { recursive: true, force: true });
}

/**
 * Copies all data to another folder: the database as it is now, samples of open recordings, and stored files that are
 * missing there.
 * @returns number of stored files copied
 */
export async function backUpTo(folder: string, to: string): Promise<number> {
  await mkdir(join(to, AUDIO), { recursive: true });
  const made = join(folder, BACKUPS, `.to-${process.pid}-${Math.random().toString(36).slice(2)}`);
  try {
    await snapshot(folder, made);
    // Samples and logs of the former copy do not belong to this one.
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
