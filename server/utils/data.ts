import { resolve } from 'node:path';
import { sweepArchives } from '../archive/uploads';
import { sweepRuns } from '../handover/runs';
import { sweepUnfinished } from '../store/audio';
import { putBack } from '../store/restoring';
import { openDatabase, readDatabase, type Database } from '../store/database';
import { takeFolder } from '../store/lock';

/** Folder of all the player's data. */
export const dataFolder = (): string => resolve(process.env.TALL_KETTLE_DATA ?? '.data/own');
export const port = (): number => Number(process.env.NITRO_PORT ?? process.env.PORT ?? 3000);

interface Opened {
  /** Writing connection, the only one. */
  readonly write: Database;
  /** Reading connections, usable while another process writes. */
  readonly read: Database;
}
const MOST_READERS = 4;
let opened: Promise<Opened> | undefined;

async function connections(folder: string): Promise<Opened> {
  const write = await openDatabase(folder);
  return { write, read: readDatabase(folder, MOST_READERS) };
}

async function open(): Promise<Opened> {
  const folder = dataFolder();
  const letGo = takeFolder(folder, port(), new Date());
  process.on('exit', letGo);
  try {
    sweepUnfinished(folder);
    sweepRuns(folder);
    sweepArchives(folder);
    return await connections(folder);
  } catch (error) {
    letGo();
    throw error;
  }
}

const both = (): Promise<Opened> => (opened ??= open());

/** Writing connection to a folder that no other server has. @throws FolderTaken, DatabaseUnusable */
export const database = async (): Promise<Database> => (await both()).write;

/** Reads from a snapshot of the database. @throws FolderTaken, DatabaseUnusable, and errors of the work */
export const reading = async <T>(work: (db: Database) => Promise<T>): Promise<T> =>
  (await both()).read.transaction(work);

/** Replaces the database by a backup; requests wait meanwhile. */
export async function bringBackWhole(name: string): Promise<void> {
  const before = both();
  let failed: unknown;
  opened = before.then(async ({ write, read }) => {
    await read.destroy();
    await write.destroy();
    // After a failure the server goes on with the present database.
    await putBack(dataFolder(), name).catch((error: unknown) => {
      failed = error;
    });
    return connections(dataFolder());
  });
  await opened;
  if (failed) throw failed;
}
