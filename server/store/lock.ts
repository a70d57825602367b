import { existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { z } from 'zod';
import { explained } from './database';
import { connect, type Connection } from './sqlite';

const FILE = 'server.lock';
const holderSchema = z.object({ pid: z.number().int(), host: z.string(), port: z.number().int(), since: z.string() });
/** Process that has a folder. */
export type Holder = z.infer<typeof holderSchema>;

/** Error of a folder that another server has. */
export class FolderTaken extends Error {
  /** @param holder undefined where it was locked just now */
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

/** Process that its lock file names; undefined without one. */
export function holderOf(folder: string): Holder | undefined {
  const path = join(folder, FILE);
  if (!existsSync(path)) return undefined;
  try {
    return holderSchema.parse(JSON.parse(readFileSync(path, 'utf8')));
  } catch {
    // An incomplete lock file names nobody.
    return undefined;
  }
}

/** The file is empty; only the system's lock on it counts, which ends with its process. */
const HELD = 'server.lock.sqlite';
/** An unreferenced connection would be closed, with its lock. */
const kept = new Set<Connection>();

/** @returns function that unlocks; undefined where another process, or another part of this one, has the lock */
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
    // The system may not know a process on another machine, so its file counts.
    if (!letGo || (holder && holder.host !== hostname())) throw new FolderTaken(holder);
    const mine: Holder = { pid, host: hostname(), port, since: now.toISOString() };
    const path = join(folder, FILE);
    // Written atomically, as others may read it at any time.
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
