import { resolve } from 'node:path';
import { sweepArchives } from '../archive/uploads';
import { sweepRuns } from '../handover/runs';
import { sweepUnfinished } from '../store/audio';
import { putBack } from '../store/restoring';
import { openDatabase, readDatabase, type Database } from '../store/database';
import { takeFolder } from '../store/lock';

/** Folder where everything the person makes is kept. */
export const dataFolder = (): string => resolve(process.env.TALL_KETTLE_DATA ?? '.data/own');
export const port = (): number => Number(process.env.NITRO_PORT ?? process.env.PORT ?? 3000);

interface Opened {
  /** The one connection that writes. */
  readonly write: Database;
  /** Connections that read beside it, also while something else has the database to write. */
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

/** The connection by which this server writes, to a folder that no other has. @throws FolderTaken, DatabaseUnusable */
export const database = async (): Promise<Database> => (await both()).write;

/** Reads from the database as it is at one moment. @throws FolderTaken, DatabaseUnusable, and what the work throws */
export const reading = async <T>(work: (db: Database) => Promise<T>): Promise<T> =>
  (await both()).read.transaction(work);

/** Puts a backup in the place of what there is. Requests that come meanwhile wait for it. */
export async function bringBackWhole(name: string): Promise<void> {
  const before = both();
  let failed: unknown;
  opened = before.then(async ({ write, read }) => {
    await read.destroy();
    await write.destroy();
    // What could not be put back leaves what there was, and the server goes on with it.
    await putBack(dataFolder(), name).catch((error: unknown) => {
      failed = error;
    });
    return connections(dataFolder());
  });
  await opened;
  if (failed) throw failed;
}
