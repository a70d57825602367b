import { createHash } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { pipeline } from 'node:stream/promises';
import type { z } from 'zod';
import { DamagedFile } from '../../core/files/damaged';
import {
  ARCHIVE_VERSION,
  DEEPEST,
  historyEntrySchema,
  kindOfEntry,
  layerEntrySchema,
  MANIFEST,
  manifestSchema,
  MOST_JSON,
  MOST_LIST,
  recordingsEntrySchema,
  songEntrySchema,
  songPath,
  versionEntrySchema,
  type EntryKind,
  type Manifest,
} from '../../core/archive/archive';
import { openArchiveZip, type OpenedZip, type ZipEntry } from './zip';

/** Damaged file of an archive, with the consequence. */
export interface Damage {
  readonly file: string;
  readonly words: string;
}
/** Content of an archive, as found. */
export interface Found {
  readonly path: string;
  readonly manifest: Manifest;
  /** Songs by their number, with titles and ids. */
  readonly songs: readonly { readonly number: number; readonly id: string; readonly title: string }[];
  readonly damage: readonly Damage[];
  /** Names of intact files. */
  readonly whole: ReadonlySet<string>;
}
/** Content, with the archive open. */
export interface Look extends Found {
  readonly zip: OpenedZip;
}

/** Reads a whole file with its checksum. @throws Error for one that is too long or damaged */
async function bytesOf(entry: ZipEntry, most = MOST_JSON): Promise<{ bytes: Buffer; sha256: string }> {
  const pieces: Buffer[] = [];
  const hash = createHash('sha256');
  let length = 0;
  for await (const piece of await entry.open()) {
    length += (piece as Buffer).length;
    if (length > most) throw new Error('It is longer than it says.');
    hash.update(piece as Buffer);
    pieces.push(piece as Buffer);
  }
  return { bytes: Buffer.concat(pieces), sha256: hash.digest('hex') };
}

/** Parses JSON of limited depth, as deep nesting would exhaust the memory. */
function parsed(text: string): unknown {
  let depth = 0;
  for (let i = 0, inText = false; i < text.length; i += 1) {
    const c = text.charCodeAt(i);
    if (inText) {
      if (c === BACKSLASH) i += 1;
      else if (c === QUOTE) inText = false;
    } else if (c === QUOTE) inText = true;
    else if (c === BRACKET || c === BRACE) {
      depth += 1;
      if (depth > DEEPEST) throw new Error('It is nested too deep.');
    } else if (c === BRACKET + 2 || c === BRACE + 2) depth -= 1;
  }
  return JSON.parse(text);
}
const [QUOTE, BACKSLASH, BRACKET, BRACE] = ['"', '\\', '[', '{'].map((c) => c.charCodeAt(0)) as [
  number,
  number,
  number,
  number,
];

/** Checksum of a sound that is unpacked beside the archive, so that the import need not read it again. */
async function sumOf(entry: ZipEntry, to: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(
    await entry.open(),
    async function* (pieces: AsyncIterable<Buffer>) {
      for await (const piece of pieces) {
        hash.update(piece);
        yield piece;
      }
    },
    createWriteStream(to, { highWaterMark: 4 << 20 }),
  );
  return hash.digest('hex');
}

/** Path of an unpacked sound. */
export const soundPath = (archive: string, hash: string): string => `${archive}.${hash}`;

/** @throws DamagedFile with the reason */
function readManifest(text: string): Manifest {
  let value: unknown;
  try {
    value = parsed(text);
  } catch {
    throw new DamagedFile('The archive’s list of what it holds cannot be read.');
  }
  const version = (value as { version?: unknown } | null)?.version;
  if (typeof version === 'number' && version > ARCHIVE_VERSION)
    throw new DamagedFile('The archive was made by a newer version of the program. Bring the program up to date.');
  const read = manifestSchema.safeParse(value);
  if (!read.success)
    throw new DamagedFile('This is not a Tall Kettle archive: its list of what it holds is not right.');
  return read.data;
}
/** List of an archive's content; undefined where it cannot be read. */
export const manifestOf = (entry: ZipEntry): Promise<Manifest | undefined> =>
  bytesOf(entry, MOST_LIST).then(
    ({ bytes }) => readManifest(bytes.toString('utf8')),
    () => undefined,
  );

const SCHEMAS: Readonly<Partial<Record<EntryKind['kind'], z.ZodType>>> = {
  song: songEntrySchema,
  layer: layerEntrySchema,
  version: versionEntrySchema,
  recordings: recordingsEntrySchema,
};

/** JSON file of the archive, parsed by its schema. @throws Error, ZodError */
export async function readEntry<T>(zip: OpenedZip, path: string, schema: z.ZodType<T>): Promise<T> {
  const { bytes } = await bytesOf(zip.entries.get(path)!);
  return schema.parse(parsed(bytes.toString('utf8')));
}
export async function readHistory(zip: OpenedZip, path: string): Promise<z.output<typeof historyEntrySchema>[]> {
  const { bytes } = await bytesOf(zip.entries.get(path)!);
  const lines = bytes.toString('utf8').split('\n').filter(Boolean);
  return lines.map((line) => historyEntrySchema.parse(parsed(line)));
}

/** Checks a file against the list and its format. @throws Error with the reason */
async function judge(archive: string, zip: OpenedZip, path: string, kind: EntryKind, sha256: string): Promise<void> {
  const entry = zip.entries.get(path)!;
  if (kind.kind === 'audio') {
    const to = soundPath(archive, kind.hash);
    const sum = await sumOf(entry, to).catch((error: NodeJS.ErrnoException) => error);
    if (sum === sha256 && kind.hash === sha256) return;
    await rm(to, { force: true });
    // A full disk says nothing about the archive.
    if (sum instanceof Error && sum.code === 'ENOSPC') throw sum;
    throw new Error('It is not what was put in.');
  }
  const read = await bytesOf(entry);
  if (read.sha256 !== sha256) throw new Error('It is not what was put in.');
  const text = read.bytes.toString('utf8');
  if (kind.kind === 'history')
    text
      .split('\n')
      .filter(Boolean)
      .forEach((l) => historyEntrySchema.parse(parsed(l)));
  else SCHEMAS[kind.kind]?.parse(parsed(text));
}

const WORDS: Readonly<Record<EntryKind['kind'], string>> = {
  manifest: '',
  readme: '',
  song: 'a song is missing',
  history: 'a song’s undo is missing',
  layer: 'what one pass recorded is missing',
  recordings: 'the sound that was recorded beside the keys is missing',
  version: 'a version that was handed over is missing',
  audio: 'a backing or a recorded sound is missing',
};

/**
 * Examines every byte of an archive, and reports what is intact. Its sounds are unpacked beside it, each under its
 * hash.
 * @throws DamagedFile for other files, and archives of newer versions
 */
export async function lookInto(path: string): Promise<Look> {
  const zip = await openArchiveZip(path, manifestOf);
  try {
    const first = zip.entries.get(MANIFEST);
    if (!first) throw new DamagedFile('This is not a Tall Kettle archive: it has no list of what it holds.');
    const read = await bytesOf(first, MOST_LIST).catch(() => {
      throw new DamagedFile(
        'The archive’s list of what it holds is damaged or too long, so nothing in it can be told.',
      );
    });
    const manifest = readManifest(read.bytes.toString('utf8'));
    const damage: Damage[] = zip.strange.map((file) => ({ file, words: 'is nothing that an archive has; left out' }));
    const whole = new Set<string>();
    for (const [file, { sha256, bytes }] of Object.entries(manifest.files)) {
      const kind = kindOfEntry(file);
      const entry = zip.entries.get(file);
      if (!kind || kind.kind === 'manifest') continue;
      try {
        if (!entry) throw new Error('It is not there.');
        if (entry.bytes !== bytes) throw new Error('It is not as long as it was.');
        await judge(path, zip, file, kind, sha256);
        whole.add(file);
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw error;
        damage.push({ file, words: WORDS[kind.kind] });
      }
    }
    const songs: { number: number; id: string; title: string }[] = [];
    for (let number = 1; number <= manifest.songs; number += 1) {
      const file = songPath(number);
      if (!whole.has(file)) continue;
      const { id, document } = await readEntry(zip, file, songEntrySchema);
      songs.push({ number, id, title: document.title });
    }
    return { path, manifest, zip, songs, damage, whole };
  } catch (error) {
    zip.close();
    throw error;
  }
}
