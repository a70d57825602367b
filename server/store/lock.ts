import { existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { z } from 'zod';
import { explained } from './database';
import { connect, type Connection } from './sqlite';

const FILE = 'server.lock';
const holderSchema = z.object({ pid: z.number().int(), host: z.string(), port: z.number().int(), since: z.string() });
/** The server that has a folder. */
export type Holder = z.infer<typeof holderSchema>;

/** The folder has a server already. */
export class FolderTaken extends Error {
  /** @param holder undefined where it has only just been taken */
  constructor(readonly holder: Holder | undefined) {
    if (!holder) {
      super('This folder’s program is just being started by somebody else. Wait a moment, then try again.');
      return;
    }
    const where = holder.host === hostname() ? '' : ` on ${holder.host}`;
    const since = holder.since.slice(0, 16).replace('T', ' ');
    super(
      `This folder’s program is running already, at http://127.0.0.1:${holder.port} ` +
        `(process ${holder.pid}${where}, since ${since}).`,
    );
  }
}

/** Holder of a folder, as far as its lock file says. */
export function holderOf(folder: string): Holder | undefined {
  const path = join(folder, FILE);
  if (!existsSync(path)) return undefined;
  try {
    return holderSchema.parse(JSON.parse(readFileSync(path, 'utf8')));
  } catch {
    // A lock that was cut off in writing holds nothing.
    return undefined;
  }
}

/** It is empty; the system's lock on it is what counts, and goes with its process. */
const HELD = 'server.lock.sqlite';
/** A connection that nobody keeps is closed in time, and its lock is gone. */
const kept = new Set<Connection>();

/** @returns what lets go of it; undefined where another process, or another part of this one, has it */
function lockOf(folder: string): (() => void) | undefined {
  const held = connect(join(folder, HELD));
  try {
    held.exec('BEGIN EXCLUSIVE');
    kept.add(held);
    return () => {
      kept.delete(held);
      held.close();
    };
  } catch (error) {
    held.close();
    if ((error as { code?: string }).code?.startsWith('SQLITE_BUSY')) return undefined;
    throw error;
  }
}

/**
 * Takes a folder for this process: two servers on one folder would answer with what the other has changed. The system
 * holds the lock and drops it with the process, however that ends; who has it is said in a file beside it.
 * @returns what lets go of it
 * @throws FolderTaken, DatabaseUnusable
 */
export function takeFolder(folder: string, port: number, now: Date, pid = process.pid): () => void {
  let letGo: (() => void) | undefined;
  try {
    mkdirSync(folder, { recursive: true });
    letGo = lockOf(folder);
    const holder = holderOf(folder);
    // Of a process on another machine the system may know nothing; its word counts.
    if (!letGo || (holder && holder.host !== hostname())) throw new FolderTaken(holder);
    const mine: Holder = { pid, host: hostname(), port, since: now.toISOString() };
    const path = join(folder, FILE);
    // Whole or not at all: others read it at any moment.
    writeFileSync(`${path}.${pid}`, JSON.stringify(mine));
    renameSync(`${path}.${pid}`, path);
    const drop = letGo;
    return () => {
      if (holderOf(folder)?.pid === pid) rmSync(path, { force: true });
      drop();
    };
  } catch (error) {
    letGo?.();
    throw explained(error, folder);
  }
}
