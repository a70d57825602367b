import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import knex, { type Knex } from 'knex';
import { migrations } from './migrations';
import { ReadingSqlite, WritingSqlite } from './sqlite';

export type Database = Knex;

/** Error with the reason why a data folder cannot be used. Its message is for the screen. */
export class DatabaseUnusable extends Error {
  constructor(
    readonly why: 'folder' | 'damaged' | 'newer' | 'native',
    message: string,
    options?: ErrorOptions,
  ) {
    super(message, options);
  }
}

/** Explains an error on opening a data folder. @returns the same error where there is no explanation */
export function explained(error: unknown, folder: string): unknown {
  const { code = '', message = '' } = error as NodeJS.ErrnoException;
  const unusable = (why: DatabaseUnusable['why'], words: string) => new DatabaseUnusable(why, words, { cause: error });
  if (/^(EACCES|EPERM|EROFS|ENOTDIR|EEXIST|SQLITE_CANTOPEN|SQLITE_READONLY|SQLITE_PERM)/.test(code))
    return unusable(
      'folder',
      `The data folder ${folder} cannot be written. Give this user the right to write there, or name another folder: ` +
        'TALL_KETTLE_DATA=/path npm start',
    );
  if (/^(SQLITE_CORRUPT|SQLITE_NOTADB|SQLITE_IOERR)/.test(code))
    return unusable(
      'damaged',
      `The database in ${folder} is damaged, and was left as it is. Bring back a backup (see README, “Backups”), or ` +
        'name another folder with TALL_KETTLE_DATA.',
    );
  if (/following files are missing/.test(message))
    return unusable(
      'newer',
      `The data in ${folder} was made by a newer version of this program, and was left as it is. Use that version, ` +
        'or name another folder with TALL_KETTLE_DATA.',
    );
  if (code === 'ERR_DLOPEN_FAILED' || /Cannot find module '@libsql/.test(message))
    return unusable(
      'native',
      'The database’s binary for this machine is not installed, as after packages were copied from another one. Run ' +
        '`npm ci`, then start again.',
    );
  return error;
}

const fileOf = (folder: string): string => join(folder, 'tall-kettle.sqlite');

/**
 * Snapshot of the folder's database: later writes are not seen. It has to be closed with `destroy`, as the log grows
 * meanwhile.
 */
export async function snapshotOf(folder: string): Promise<Database> {
  const snapshot = readDatabase(folder, 1);
  try {
    await snapshot.raw('begin');
    // A snapshot begins with its first read.
    await snapshot('jobs').first('id');
    return snapshot;
  } catch (error) {
    await snapshot.destroy();
    throw error;
  }
}

/** Reading connections to the folder's database, which has to exist. @param most number of connections */
export const readDatabase = (folder: string, most: number): Database =>
  knex({
    client: ReadingSqlite as unknown as typeof knex.Client,
    connection: { filename: fileOf(folder) },
    useNullAsDefault: true,
    pool: { min: 0, max: most },
  });

/**
 * Opens the data folder's database, creating or migrating it where needed. An answered write is on disk: write-ahead
 * log with full sync.
 * @throws DatabaseUnusable
 */
export async function openDatabase(folder: string): Promise<Database> {
  let database: Database | undefined;
  try {
    mkdirSync(folder, { recursive: true });
    database = knex({
      client: WritingSqlite as unknown as typeof knex.Client,
      connection: { filename: fileOf(folder) },
      useNullAsDefault: true,
      migrations: {
        migrationSource: {
          getMigrations: () => Promise.resolve(Object.keys(migrations)),
          getMigrationName: (name: string) => name,
          getMigration: (name: string) => Promise.resolve(migrations[name]!),
        },
      },
      pool: { min: 1, max: 1 },
    });
    await database.migrate.latest();
    return database;
  } catch (error) {
    await database?.destroy();
    throw explained(error, folder);
  }
}
