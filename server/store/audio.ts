import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, existsSync, mkdirSync, statSync, type ReadStream } from 'node:fs';
import { rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Database } from './database';

const folderOf = (dataFolder: string): string => join(dataFolder, 'audio');

/** Stores bytes under their SHA-256; the same bytes twice are stored once. Whole or not at all. */
export async function addAudio(db: Database, dataFolder: string, bytes: Uint8Array, type: string): Promise<string> {
  const hash = createHash('sha256').update(bytes).digest('hex');
  const folder = folderOf(dataFolder);
  mkdirSync(folder, { recursive: true });
  const unfinished = join(folder, `.${randomUUID()}`);
  try {
    await writeFile(unfinished, bytes);
    await rename(unfinished, join(folder, hash));
  } finally {
    await rm(unfinished, { force: true });
  }
  await db('audio').insert({ hash, bytes: bytes.length, type }).onConflict('hash').ignore();
  return hash;
}

export interface AudioBytes {
  readonly stream: ReadStream;
  readonly length: number;
  readonly type: string;
}

export async function readAudio(db: Database, dataFolder: string, hash: string): Promise<AudioBytes | undefined> {
  const row = await db<{ hash: string; type: string }>('audio').where({ hash }).first();
  const path = join(folderOf(dataFolder), hash);
  if (!row || !existsSync(path)) return undefined;
  return { stream: createReadStream(path), length: statSync(path).size, type: row.type };
}
