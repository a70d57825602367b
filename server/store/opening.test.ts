import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { hostname, tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { DatabaseUnusable, explained, openDatabase, readDatabase } from './database';
import { storageFault } from './faults';
import { FolderTaken, holderOf, takeFolder } from './lock';
import { connect } from './sqlite';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-opening-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

describe('a data folder that cannot be used', () => {
  const why = (of: string): Promise<unknown> =>
    openDatabase(of).then(
      async (db) => {
        await db.destroy();
        return 'opened';
      },
      (error: unknown) => (error instanceof DatabaseUnusable ? error.why : error),
    );

  it('is told apart: damaged, made by a newer version, no folder at all', async () => {
    writeFileSync(join(folder, 'tall-kettle.sqlite'), 'this is no database, '.repeat(100));
    expect(await why(folder)).toBe('damaged');
    const newer = join(folder, 'newer');
    const db = await openDatabase(newer);
    await db('knex_migrations').insert({ name: '999 from tomorrow', batch: 2, migration_time: '2099-01-01' });
    await db.destroy();
    expect(await why(newer)).toBe('newer');
    writeFileSync(join(folder, 'a file'), '');
    expect(await why(join(folder, 'a file'))).toBe('folder');
    expect(await why(join(folder, 'a file', 'below'))).toBe('folder');
  });
});

it('a binary that is not there is told with the way to have it; what is none of these stays', () => {
  for (const error of [
    Object.assign(new Error('dlopen'), { code: 'ERR_DLOPEN_FAILED' }),
    Object.assign(new Error("Cannot find module '@libsql/linux-x64-gnu'"), { code: 'MODULE_NOT_FOUND' }),
  ]) {
    const said = explained(error, folder) as DatabaseUnusable;
    expect([said.why, said.message]).toEqual(['native', expect.stringMatching(/npm ci/)]);
  }
  const other = new Error('something else');
  expect(explained(other, folder)).toBe(other);
});

describe('the lock of a folder', () => {
  const NOW = new Date('2026-01-01T10:00:00Z');
  /** A process that is certainly there, and none of ours. */
  const OTHER = process.ppid;

  it('lets one server have it, and says who has it', () => {
    const letGo = takeFolder(folder, 4071, NOW, OTHER);
    expect(() => takeFolder(folder, 4072, NOW)).toThrow(FolderTaken);
    expect(() => takeFolder(folder, 4072, NOW)).toThrow(/127\.0\.0\.1:4071 \(process \d+, since 2026-01-01 10:00\)/);
    letGo();
    takeFolder(folder, 4072, NOW)();
    expect(holderOf(folder)).toBeUndefined();
  });

  it('is nobody’s once its process is gone, whatever is left of it and whoever has its number now', () => {
    const left = (text: string) => writeFileSync(join(folder, 'server.lock'), text);
    const says = (pid: number) => JSON.stringify({ pid, host: hostname(), port: 1, since: NOW.toISOString() });
    for (const text of [says(2 ** 30), says(OTHER), '{"pid":']) {
      left(text);
      takeFolder(folder, 4071, NOW)();
    }
  });

  it('is taken by one alone of many that start at once over what a crash has left', async () => {
    const script = join(folder, 'start.ts');
    writeFileSync(
      script,
      `import { takeFolder } from ${JSON.stringify(join(import.meta.dirname, 'lock.ts'))};
      try {
        takeFolder(${JSON.stringify(folder)}, 4071, new Date());
        console.log('has it');
      } catch (error) {
        console.log((error as Error).message);
      }
      setInterval(() => {}, 60_000);`,
    );
    writeFileSync(
      join(folder, 'server.lock'),
      JSON.stringify({ pid: 2 ** 30, host: hostname(), port: 1, since: NOW.toISOString() }),
    );
    const all = Array.from({ length: 6 }, () => spawn(process.execPath, ['--import', 'tsx', script]));
    try {
      const said = await Promise.all(
        all.map(async (child) => {
          for await (const line of createInterface(child.stdout)) return line;
          return 'nothing';
        }),
      );
      expect(said.filter((s) => s === 'has it')).toHaveLength(1);
      expect(said.filter((s) => /running already|just being started/.test(s))).toHaveLength(5);
      for (const child of all) child.kill('SIGKILL');
      await Promise.all(all.map((child) => child.exitCode ?? once(child, 'exit')));
      // Killed as it was, it has let go.
      takeFolder(folder, 4071, NOW)();
    } finally {
      for (const child of all) child.kill('SIGKILL');
    }
  });

  it('counts when it was taken on another machine', () => {
    writeFileSync(
      join(folder, 'server.lock'),
      JSON.stringify({ pid: 2 ** 30, host: 'elsewhere', port: 1, since: NOW.toISOString() }),
    );
    expect(() => takeFolder(folder, 4071, NOW)).toThrow(/on elsewhere/);
  });
});

describe('a fault of storage', () => {
  it('is known by its code, through whatever wrapped it, and says nothing of SQL', () => {
    const failed = Object.assign(new Error('insert into songs - database or disk is full'), { code: 'SQLITE_FULL' });
    const fault = storageFault(new Error('while changing', { cause: failed }))!;
    expect(fault).toMatchObject({ status: 503, retryAfter: 5 });
    expect(fault.words).not.toMatch(/insert|sql/i);
    expect(storageFault(Object.assign(new Error(), { code: 'SQLITE_BUSY_SNAPSHOT' }))?.status).toBe(503);
    expect(storageFault(Object.assign(new Error(), { code: 'SQLITE_CONSTRAINT_FOREIGNKEY' }))).toBeUndefined();
    expect(storageFault(new Error('anything'))).toBeUndefined();
  });
});

describe('a database that something else has to write', () => {
  /** Rows that a connection of its own finds: only that has come to the disk. */
  const onDisk = async (): Promise<unknown[]> => {
    const read = readDatabase(folder, 1);
    const titles: unknown[] = await read.transaction((tx) => tx('kept').pluck('name').orderBy('name'));
    await read.destroy();
    return titles;
  };
  const row = (name: string) => ({ kind: 'recipes', name, value: '{}' });

  it('is read meanwhile as it was, and what waited is on the disk once it is let go of', async () => {
    const db = await openDatabase(folder);
    await db('kept').insert(row('before'));
    const other = connect(join(folder, 'tall-kettle.sqlite'));
    for (const way of ['alone', 'in a transaction']) {
      other.exec('BEGIN IMMEDIATE');
      other.exec("DELETE FROM kept WHERE name = 'before'");
      let isWritten = false;
      const insert = async (): Promise<unknown> =>
        way === 'alone' ? db('kept').insert(row(way)) : db.transaction((tx) => tx('kept').insert(row(way)));
      const writing = insert().then(() => {
        isWritten = true;
      });
      const meanwhile = await onDisk();
      await new Promise((done) => setTimeout(done, 40));
      expect(isWritten).toBe(false);
      other.exec('ROLLBACK');
      await writing;
      expect(await onDisk()).toEqual([...meanwhile, way].sort());
    }
    other.close();
    await db.destroy();
  });

  it('is written again after a wait that was too long', async () => {
    const db = await openDatabase(folder);
    const other = connect(join(folder, 'tall-kettle.sqlite'));
    other.exec('BEGIN IMMEDIATE');
    await expect(db('kept').insert(row('too late'))).rejects.toMatchObject({ code: 'SQLITE_BUSY' });
    await expect(db.transaction((tx) => tx('kept').insert(row('too late')))).rejects.toMatchObject({
      code: 'SQLITE_BUSY',
    });
    other.exec('ROLLBACK');
    await db('kept').insert(row('after it'));
    await db.transaction((tx) => tx('kept').insert(row('in a transaction')));
    expect(await onDisk()).toEqual(['after it', 'in a transaction']);
    other.close();
    await db.destroy();
  });
});
