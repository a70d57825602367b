/**
 * SQLite, as Knex speaks to it: by a driver whose binary comes inside its package, so that nothing is compiled or
 * fetched when the program is installed. It has the interface of the driver that this dialect of Knex was made for.
 */
import { createRequire } from 'node:module';
import { Worker } from 'node:worker_threads';
import type { Knex } from 'knex';
// @ts-expect-error Knex has no types for its dialects.
import KnexDialect from 'knex/lib/dialects/better-sqlite3/index.js';
import Sqlite from 'libsql';
import type { Milliseconds } from '../../core/time/units';

export type Connection = Sqlite.Database;

/** Part of Knex's dialect that is used here. */
interface DialectClient {
  readonly connectionSettings: { readonly filename: string };
  acquireRawConnection(): Promise<Connection>;
  validateConnection(connection: Connection): boolean;
  _query(connection: unknown, query: Query): Promise<Query>;
  transaction(...args: unknown[]): Knex.Transaction;
}
const Dialect = KnexDialect as unknown as new (config: Knex.Config) => DialectClient;

/** Longest wait for another user of the database, and the interval of retries. */
const PATIENCE: Milliseconds = 2000;
const ASK_AGAIN: Milliseconds = 15;

/** Opens a database file. @throws SqliteError with SQLite's code */
export const connect = (path: string): Connection => new Sqlite(path, { timeout: 0 });

/**
 * Writes a whole copy of a database, as it is at one moment, to a file that is not there yet, in a thread of its own: a
 * large one takes seconds. Others may write meanwhile.
 * @throws SqliteError with SQLite's code
 */
export async function copyDatabase(path: string, to: string): Promise<void> {
  const code = `
    const { workerData: { driver, path, to }, parentPort } = require('node:worker_threads');
    const connection = new (require(driver))(path, { timeout: 0 });
    try {
      connection.exec("VACUUM INTO '" + to.replaceAll("'", "''") + "'");
      parentPort.postMessage(null);
    } catch ({ message, code }) {
      parentPort.postMessage({ message, code });
    } finally {
      connection.close();
    }`;
  const driver = createRequire(import.meta.url).resolve('libsql');
  const worker = new Worker(code, { eval: true, workerData: { driver, path, to } });
  try {
    const failed = await new Promise<{ message: string; code?: string } | null>((said, broke) => {
      worker.once('message', said).once('error', broke);
      worker.once('exit', () => broke(new Error('The thread that copies the database ended without a word.')));
    });
    if (failed) throw Object.assign(new Error(failed.message), { code: failed.code });
  } finally {
    await worker.terminate();
  }
}

const isBusy = (error: unknown): boolean => String((error as { code?: unknown }).code).startsWith('SQLITE_BUSY');

/** Parts of a query and a transaction without types in Knex. */
interface Query {
  response?: unknown;
}
type Beginning = Knex.Transaction & {
  begin: (connection: Connection) => Promise<unknown>;
  query: (connection: Connection, sql: string) => Promise<unknown>;
};

/** The driver returns blobs as array buffers. */
function withBuffers(rows: unknown): void {
  if (!Array.isArray(rows)) return;
  for (const row of rows as Record<string, unknown>[])
    for (const name in row) if (row[name] instanceof ArrayBuffer) row[name] = Buffer.from(row[name]);
}

/** Connections with an abandoned statement, which the driver counts as in progress. */
const stuck = new WeakSet<Connection>();

/** Writing connection with a write-ahead log and full sync: an answered write is on disk. */
export class WritingSqlite extends Dialect {
  _driver(): unknown {
    return Sqlite;
  }

  override acquireRawConnection(): Promise<Connection> {
    return Promise.resolve().then(() => {
      const connection = connect(this.connectionSettings.filename);
      this.prepareConnection(connection);
      return connection;
    });
  }

  protected prepareConnection(connection: Connection): void {
    for (const pragma of ['journal_mode = WAL', 'synchronous = FULL', 'foreign_keys = ON'])
      connection.exec(`PRAGMA ${pragma}`);
  }

  /**
   * Waits for its turn where something else has the database, and lets everything else go on meanwhile: SQLite’s own
   * waiting would hold up the whole server. One statement is asked again and again: the driver leaves one that was
   * refused in progress, and while one is, nothing that is written on the connection after it comes to the disk.
   */
  override async _query(connection: Connection, query: Query): Promise<Query> {
    let statement: Sqlite.Statement | undefined;
    const same = { prepare: (sql: string) => (statement ??= connection.prepare(sql)) };
    for (const until = performance.now() + PATIENCE; ;) {
      try {
        const done = await super._query(same, query);
        withBuffers(done.response);
        return done;
      } catch (error) {
        if (!isBusy(error)) throw error;
        if (performance.now() > until) {
          stuck.add(connection);
          throw error;
        }
        await new Promise((again) => setTimeout(again, ASK_AGAIN));
      }
    }
  }

  /** Tells the pool whether a connection can be reused. */
  override validateConnection(connection: Connection): boolean {
    return !stuck.has(connection);
  }

  /**
   * Transactions begin as writes. One that reads first and writes later fails at once if another writer came in
   * between.
   */
  override transaction(...args: unknown[]): Beginning {
    const made = super.transaction(...args) as Beginning;
    made.begin = (connection) => made.query(connection, 'BEGIN IMMEDIATE;');
    return made;
  }
}

/** Reading connection, which never waits for a writer. */
export class ReadingSqlite extends WritingSqlite {
  protected override prepareConnection(connection: Connection): void {
    connection.exec('PRAGMA query_only = ON');
  }

  override transaction(...args: unknown[]): Beginning {
    const made = super.transaction(...args);
    made.begin = (connection) => made.query(connection, 'BEGIN;');
    return made;
  }
}
