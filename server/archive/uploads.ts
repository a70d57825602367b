import { randomUUID } from 'node:crypto';
import { createWriteStream, mkdirSync, rmSync } from 'node:fs';
import { readdir, rm } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Database } from '../store/database';
import { ifMissing } from '../store/missingFiles';
import { bring, type Brought, type Way } from './bring';
import type { Damage, Look } from './look';
import { lookInThread } from './looking';

/** Uploaded archive that waits for a decision. */
export interface Waiting {
  readonly id: string;
  readonly job: string;
  readonly client: string;
  /** Songs that can be imported. */
  readonly songs: readonly string[];
  readonly damage: readonly Damage[];
  /** Title of the existing job with the archive's id; null where there is none. */
  readonly there: string | null;
}

interface Held {
  readonly path: string;
  readonly look: Look;
}
const held = new Map<string, Held>();
const folderOf = (dataFolder: string): string => join(dataFolder, 'archives');

/** Deletes uploads from before the server's start. */
export const sweepArchives = (dataFolder: string): void =>
  rmSync(folderOf(dataFolder), { recursive: true, force: true });

/**
 * Stores an archive and examines it. Nothing is imported yet.
 * @param signal aborted when the sender disconnects
 * @param look examination of the archive
 * @throws DamagedFile for a damaged archive; errors of the source or disk; the signal's reason
 */
export async function receive(
  db: Database,
  dataFolder: string,
  source: Readable,
  signal: AbortSignal,
  look: (path: string, signal: AbortSignal) => Promise<Look> = lookInThread,
): Promise<Waiting> {
  const folder = folderOf(dataFolder);
  mkdirSync(folder, { recursive: true });
  const id = randomUUID();
  const path = join(folder, id);
  try {
    await pipeline(source, createWriteStream(path));
    const found = await look(path, signal);
    held.set(id, { path, look: found });
    const { job } = found.manifest;
    const there = await db('jobs').where({ id: job.id }).first('title');
    return {
      ...{ id, job: job.title, client: job.client, songs: found.songs.map((s) => s.title), damage: found.damage },
      there: there?.title ?? null,
    };
  } catch (error) {
    await removeWithSounds(path);
    throw error;
  }
}

/** Paths of the archive and its unpacked sounds. */
async function removeWithSounds(path: string): Promise<void> {
  const names = await readdir(dirname(path)).catch(ifMissing([]));
  for (const name of names) if (name.startsWith(basename(path))) await rm(join(dirname(path), name), { force: true });
}

/** Deletes a waiting archive. */
export async function letGoOf(id: string): Promise<boolean> {
  const archive = held.get(id);
  if (!archive) return false;
  held.delete(id);
  archive.look.zip.close();
  await removeWithSounds(archive.path);
  return true;
}

/** Answers about recent imports, for clients that lost one. */
const brought = new Map<string, Promise<Brought>>();
const MOST_ANSWERS = 50;

/**
 * Imports the job of a waiting archive, once however often it is requested.
 * @returns undefined where it does not wait any more
 */
export async function bringHeld(db: Database, dataFolder: string, id: string, way: Way): Promise<Brought | undefined> {
  const archive = held.get(id);
  const made = brought.get(id) ?? (archive && bring(db, dataFolder, archive.look, way, randomUUID));
  if (!made) return undefined;
  brought.set(id, made);
  for (const old of [...brought.keys()].slice(0, -MOST_ANSWERS)) brought.delete(old);
  try {
    await made;
    await letGoOf(id);
    return await made;
  } catch (error) {
    // After an error it still waits, and can be tried again.
    brought.delete(id);
    throw error;
  }
}
