import { resolve } from 'node:path';
import { sweepArchives } from '../archive/waiting';
import { sweepRuns } from '../handover/runs';
import { sweepUnfinished } from '../store/audio';
import { putBack } from '../store/backups';
import { openDatabase, type Database } from '../store/database';
import { takeFolder } from '../store/lock';

/** Where everything the person makes is kept. */
export const dataFolder = (): string => resolve(process.env.TALL_KETTLE_DATA ?? '.data/own');
export const port = (): number => Number(process.env.NITRO_PORT ?? process.env.PORT ?? 3000);

let opened: Promise<Database> | undefined;

async function open(): Promise<Database> {
  const folder = dataFolder();
  const letGo = takeFolder(folder, port(), new Date());
  process.on('exit', letGo);
  try {
    sweepUnfinished(folder);
    sweepRuns(folder);
    sweepArchives(folder);
    return await openDatabase(folder);
  } catch (error) {
    letGo();
    throw error;
  }
}

/** The one connection of this server, to a folder that no other server has. @throws FolderTaken, DatabaseUnusable */
export const database = (): Promise<Database> => (opened ??= open());

/** Puts a backup in the place of what there is. Requests that come meanwhile wait for it. */
export async function bringBackWhole(name: string): Promise<void> {
  const before = database();
  let failed: unknown;
  opened = before.then(async (db) => {
    await db.destroy();
    // What could not be put back leaves what there was, and the server goes on with it.
    await putBack(dataFolder(), name).catch((error: unknown) => {
      failed = error;
    });
    return openDatabase(dataFolder());
  });
  await opened;
  if (failed) throw failed;
}
