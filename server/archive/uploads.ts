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

/** An archive that was sent and waits for what is to be done with it. */
export interface Waiting {
  readonly id: string;
  readonly job: string;
  readonly client: string;
  /** The job's songs that are whole enough to come. */
  readonly songs: readonly string[];
  readonly damage: readonly Damage[];
  /** Title of the desk's job that is the same in the archive's sense; null where it has none. */
  readonly there: string | null;
}

interface Held {
  readonly path: string;
  readonly look: Look;
}
const held = new Map<string, Held>();
const folderOf = (dataFolder: string): string => join(dataFolder, 'archives');

/** Throws away what was sent before the server ended. */
export const sweepArchives = (dataFolder: string): void =>
  rmSync(folderOf(dataFolder), { recursive: true, force: true });

/**
 * Takes an archive's bytes to disk and looks through them. Nothing comes onto the desk yet.
 * @param signal ends the work: who sent it is gone
 * @param look how it is looked through
 * @throws DamagedFile when it is none; what the source or the disk throws; the signal's reason
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

/** The archive, and the sounds that lie beside it. */
async function removeWithSounds(path: string): Promise<void> {
  const names = await readdir(dirname(path)).catch(ifMissing([]));
  for (const name of names) if (name.startsWith(basename(path))) await rm(join(dirname(path), name), { force: true });
}

/** Lets go of an archive that waits. */
export async function letGoOf(id: string): Promise<boolean> {
  const archive = held.get(id);
  if (!archive) return false;
  held.delete(id);
  archive.look.zip.close();
  await removeWithSounds(archive.path);
  return true;
}

/** Answers about the archives that were brought in last: whoever lost one asks again. */
const brought = new Map<string, Promise<Brought>>();
const MOST_ANSWERS = 50;

/**
 * Brings the job of an archive that waits onto the desk, once, however often it is asked for.
 * @returns undefined where it waits no more
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
    // It waits still, and may be tried again.
    brought.delete(id);
    throw error;
  }
}
