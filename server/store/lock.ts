import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { z } from 'zod';

const FILE = 'server.lock';
const holderSchema = z.object({ pid: z.number().int(), host: z.string(), port: z.number().int(), since: z.string() });
/** The server that has a folder. */
export type Holder = z.infer<typeof holderSchema>;

/** The folder has a server already. */
export class FolderTaken extends Error {
  constructor(readonly holder: Holder) {
    const where = holder.host === hostname() ? '' : ` on ${holder.host}`;
    const since = holder.since.slice(0, 16).replace('T', ' ');
    super(
      `This folder’s program is running already, at http://127.0.0.1:${holder.port} ` +
        `(process ${holder.pid}${where}, since ${since}).`,
    );
  }
}

/** Who holds a folder, as far as its lock file says. */
export function holderOf(folder: string): Holder | undefined {
  const path = join(folder, FILE);
  if (!existsSync(path)) return undefined;
  try {
    return holderSchema.parse(JSON.parse(readFileSync(path, 'utf8')));
  } catch {
    return undefined;
  }
}

function lives({ pid, host }: Holder): boolean {
  // Of a process on another machine nothing can be known; its word counts.
  if (host !== hostname()) return true;
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}

/**
 * Takes a folder for this process: two servers on one folder would answer with what the other has changed. A lock whose
 * process is gone is nobody's.
 * @returns what lets go of it
 * @throws FolderTaken
 */
export function takeFolder(folder: string, port: number, now: Date, pid = process.pid): () => void {
  mkdirSync(folder, { recursive: true });
  const path = join(folder, FILE);
  const mine = JSON.stringify({ pid, host: hostname(), port, since: now.toISOString() } satisfies Holder);
  for (;;) {
    try {
      writeFileSync(path, mine, { flag: 'wx' });
      break;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      const holder = holderOf(folder);
      if (holder && holder.pid !== pid && lives(holder)) throw new FolderTaken(holder);
      rmSync(path, { force: true });
    }
  }
  return () => {
    if (holderOf(folder)?.pid === pid) rmSync(path, { force: true });
  };
}
