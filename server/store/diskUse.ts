import { statfs } from 'node:fs/promises';
import { join } from 'node:path';
import { AUDIO, DATABASE, listBackups, namesIn, sizeOf } from './backups';
import type { Database } from './database';

/** Use of the disk, in bytes. */
export interface DiskUse {
  readonly database: number;
  readonly audio: { readonly files: number; readonly bytes: number };
  /** Bytes of audio that no song or take uses, on any shelf and at any step of undo. */
  readonly unused: { readonly files: number; readonly bytes: number };
  readonly backups: { readonly count: number; readonly bytes: number };
  /** Free bytes on the disk; null where the system does not tell. */
  readonly free: number | null;
}

/** Adds up the data folder, and what nothing uses any more. */
export async function diskUse(db: Database, folder: string): Promise<DiskUse> {
  const files = (await namesIn(join(folder, AUDIO))).filter((name) => !name.startsWith('.'));
  const used = new Set<string>();
  const mentions = (text: string) => {
    for (const [hash] of text.matchAll(/[0-9a-f]{64}/g)) used.add(hash);
  };
  for (const { document } of await db<{ document: string }>('songs').select('document')) mentions(document);
  const changes = await db<{ patches: string; inverse: string }>('song_changes')
    .where('patches', 'like', '%"audio"%')
    .orWhere('inverse', 'like', '%"audio"%')
    .select('patches', 'inverse');
  for (const { patches, inverse } of changes) mentions(patches + inverse);
  for (const value of await db('kept').where({ kind: 'banks' }).pluck('value')) mentions(value as string);
  for (const audio of await db('recordings').whereNotNull('audio').pluck('audio')) used.add(audio as string);
  const sizes = await Promise.all(
    files.map(async (name) => ({ hash: name.slice(0, 64), bytes: await sizeOf(join(folder, AUDIO, name)) })),
  );
  const sum = (all: readonly { readonly bytes: number }[]) => ({
    files: all.length,
    bytes: all.reduce((total, { bytes }) => total + bytes, 0),
  });
  const backups = await listBackups(folder);
  // Some file systems do not tell their free space, which is not shown then.
  const room = await statfs(folder).catch(() => undefined);
  const own = await Promise.all(['', '-wal', '-shm'].map((end) => sizeOf(join(folder, DATABASE + end))));
  return {
    database: own.reduce((a, b) => a + b, 0),
    audio: sum(sizes),
    unused: sum(sizes.filter(({ hash }) => !used.has(hash))),
    backups: { count: backups.length, bytes: sum(backups).bytes },
    free: room ? room.bavail * room.bsize : null,
  };
}
