import { createHash, randomUUID } from 'node:crypto';
import { createWriteStream, existsSync, mkdirSync, readdirSync, rmSync } from 'node:fs';
import { open, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable, Transform, type Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { checkSongFile, HEAD_BYTES, MEDIA_TYPES } from '../../core/files/sound';
import type { Database } from './database';
import { ifMissing } from './missingFiles';

/** Folder of the files, each named by its hash. */
export const audioFolder = (dataFolder: string): string => join(dataFolder, 'audio');
const PEAKS = '.peaks';

/** Error of a full disk. */
export class DiskFull extends Error {}

export interface StoredAudio {
  /** SHA-256 of the bytes, in hex. */
  readonly hash: string;
  readonly bytes: number;
  readonly type: string;
}

/** Deletes what cut-off uploads have left. It has to run before anything is stored. */
export function sweepUnfinished(dataFolder: string): void {
  const folder = audioFolder(dataFolder);
  if (!existsSync(folder)) return;
  for (const name of readdirSync(folder)) if (name.startsWith('.')) rmSync(join(folder, name), { force: true });
}

/**
 * Streams bytes to disk under their SHA-256; the same bytes twice are stored once. Whole or not at all: a stream that
 * breaks off, a full disk or a file that is no sound leaves nothing.
 * @param to opens the file that is written to; another one can be given to see what a full disk does
 * @throws DamagedFile when it is nothing that a song can hold; DiskFull; what the source throws
 */
export async function storeAudio(
  db: Database,
  dataFolder: string,
  source: Readable,
  to: (path: string) => Writable = createWriteStream,
): Promise<StoredAudio> {
  const folder = audioFolder(dataFolder);
  mkdirSync(folder, { recursive: true });
  const unfinished = join(folder, `.${randomUUID()}`);
  const hash = createHash('sha256');
  const head = Buffer.alloc(HEAD_BYTES);
  let bytes = 0;
  const look = new Transform({
    transform(chunk: Buffer, _, done) {
      hash.update(chunk);
      if (bytes < HEAD_BYTES) chunk.copy(head, bytes);
      bytes += chunk.length;
      done(null, chunk);
    },
  });
  try {
    await pipeline(source, look, to(unfinished));
    const start = head.subarray(0, Math.min(bytes, HEAD_BYTES));
    const kind = checkSongFile(start, bytes);
    const file = await open(unfinished, 'r+');
    await file.sync().finally(() => file.close());
    const stored = { hash: hash.digest('hex'), bytes, type: MEDIA_TYPES[kind] };
    await rename(unfinished, join(folder, stored.hash));
    await db('audio').insert(stored).onConflict('hash').ignore();
    return stored;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw new DiskFull('The disk is full.');
    throw error;
  } finally {
    await rm(unfinished, { force: true });
  }
}

/**
 * Takes over a file on the same disk, with a known hash. Its header is checked.
 * @param path a file that is in place already, from an interrupted import, is accepted
 * @throws DamagedFile for an unusable file
 */
export async function adoptAudio(db: Database, dataFolder: string, path: string, hash: string): Promise<void> {
  const folder = audioFolder(dataFolder);
  mkdirSync(folder, { recursive: true });
  const from = existsSync(path) ? path : join(folder, hash);
  const file = await open(from, 'r+');
  let bytes: number;
  let type: string;
  try {
    bytes = (await file.stat()).size;
    const head = Buffer.alloc(Math.min(bytes, HEAD_BYTES));
    await file.read(head, 0, head.length, 0);
    type = MEDIA_TYPES[checkSongFile(head, bytes)];
    await file.sync();
  } finally {
    await file.close();
  }
  await rename(from, join(folder, hash));
  await db('audio').insert({ hash, bytes, type }).onConflict('hash').ignore();
}

/** Deletes a file that nothing refers to, after it turned out to be unusable. */
export async function dropAudio(db: Database, dataFolder: string, hash: string): Promise<void> {
  await db('audio').where({ hash }).delete();
  await rm(join(audioFolder(dataFolder), hash), { force: true });
}

/** Stores bytes from memory. @returns their hash */
export const addAudio = async (db: Database, dataFolder: string, bytes: Uint8Array): Promise<string> =>
  (await storeAudio(db, dataFolder, Readable.from([Buffer.from(bytes)]))).hash;

const ENDINGS: Readonly<Record<string, string>> = {
  'audio/mpeg': 'mp3',
  'audio/midi': 'mid',
  'audio/x-sf2': 'sf2',
  'audio/x-dls': 'dls',
};
/** File ending of a media type. */
export const endingOf = (type: string): string => ENDINGS[type] ?? type.split('/')[1] ?? 'bin';

export interface StoredFile {
  readonly path: string;
  readonly length: number;
  readonly type: string;
}

/** Error of a stored file that is too short. */
export class ShortFile extends Error {}

/** Path of the bytes. @throws ShortFile */
export async function audioFile(db: Database, dataFolder: string, hash: string): Promise<StoredFile | undefined> {
  const row = await db<StoredAudio>('audio').where({ hash }).first();
  const path = join(audioFolder(dataFolder), hash);
  const length = row && (await stat(path).catch(ifMissing(undefined)))?.size;
  if (!row || length === undefined) return undefined;
  if (length !== row.bytes) throw new ShortFile(`${length} of ${row.bytes} bytes are there.`);
  return { path, length, type: row.type };
}

/** Stores a waveform beside its sound. It can be computed again, so nothing depends on it. */
export async function addPeaks(dataFolder: string, hash: string, peaks: Uint8Array): Promise<void> {
  const unfinished = join(audioFolder(dataFolder), `.${randomUUID()}`);
  try {
    await writeFile(unfinished, peaks);
    await rename(unfinished, join(audioFolder(dataFolder), hash + PEAKS));
  } finally {
    await rm(unfinished, { force: true });
  }
}

export const readPeaks = (dataFolder: string, hash: string): Promise<Buffer | undefined> =>
  readFile(join(audioFolder(dataFolder), hash + PEAKS)).catch(ifMissing(undefined));

export const audioExists = async (db: Database, hash: string): Promise<boolean> =>
  (await db('audio').where({ hash }).first('hash')) !== undefined;
