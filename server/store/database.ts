import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import knex, { type Knex } from 'knex';
import { migrations } from './migrations';

export type Database = Knex;

/**
 * Opens the data folder's database, made or brought up to date if need be. A write that was answered is on
 * disk: write-ahead log with full sync.
 */
export async function openDatabase(folder: string): Promise<Database> {
  mkdirSync(folder, { recursive: true });
  const database = knex({
    client: 'better-sqlite3',
    connection: { filename: join(folder, 'tall-kettle.sqlite') },
    useNullAsDefault: true,
    pool: {
      min: 1,
      max: 1,
      afterCreate(connection: { pragma: (of: string) => void }, done: (error: Error | null, c: unknown) => void) {
        connection.pragma('journal_mode = WAL');
        connection.pragma('synchronous = FULL');
        connection.pragma('foreign_keys = ON');
        done(null, connection);
      },
    },
  });
  await database.migrate.latest({
    migrationSource: {
      getMigrations: () => Promise.resolve(Object.keys(migrations)),
      getMigrationName: (name: string) => name,
      getMigration: (name: string) => Promise.resolve(migrations[name]!),
    },
  });
  return database;
}
