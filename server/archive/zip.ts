import { createReadStream } from 'node:fs';
import { open as openFile, stat, type FileHandle } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import { createInflateRaw } from 'node:zlib';
import { open as openZip, type Entry, type ZipFile } from 'yauzl';
import { DamagedFile } from '../../core/files/damaged';
import {
  GROWTH_BESIDE,
  kindOfEntry,
  MANIFEST,
  MOST_AUDIO,
  MOST_ENTRIES,
  MOST_GROWTH,
  MOST_JSON,
  MOST_LIST,
  type Manifest,
} from '../../core/archive/archive';

/** File in a zip. */
export interface ZipEntry {
  readonly bytes: number;
  /** @throws errors of the file system, or an Error for invalid bytes */
  readonly open: () => Promise<Readable>;
}
/** Zip, read by its directory or, without one, from file to file. */
export interface OpenedZip {
  readonly entries: ReadonlyMap<string, ZipEntry>;
  /** Entries that an archive cannot have, and directories. */
  readonly strange: readonly string[];
  /** True if its directory is missing, because it was cut off. */
  readonly cut: boolean;
  readonly close: () => void;
}

const SYMBOLIC_LINK = 0o120000;
const isLink = ({ externalFileAttributes }: Entry): boolean =>
  ((externalFileAttributes >>> 16) & 0o170000) === SYMBOLIC_LINK;
/** Most bytes of a file in an archive, by its name. */
function mostOf(name: string): number {
  if (name === MANIFEST) return MOST_LIST;
  return name.startsWith('audio/') ? MOST_AUDIO : MOST_JSON;
}
/** Most bytes of all files together. */
const budgetOf = (size: number): number => GROWTH_BESIDE + MOST_GROWTH * size;
const tooMuch = (bytes: number, size: number): DamagedFile =>
  new DamagedFile(
    `The zip has ${(size / 1e6).toFixed(1)} MB and would become ${(bytes / 1e6).toFixed(0)} MB: a job's archive does ` +
      'not get so much smaller, since sound in it is stored as it is. Nothing of it was read.',
  );

function byDirectory(path: string): Promise<ZipFile> {
  return new Promise((done, failed) => {
    openZip(path, { lazyEntries: true, autoClose: false, strictFileNames: true }, (error, zip) => {
      if (error) failed(error);
      else done(zip);
    });
  });
}

const LARGE = 1 << 20;

/** @param size of the whole zip, in bytes */
function listed(path: string, zip: ZipFile, size: number): Promise<OpenedZip> {
  const entries = new Map<string, ZipEntry>();
  /** Ranges of the files' bytes, which must not overlap. */
  const ranges: [from: number, to: number][] = [];
  let total = 0;
  const strange: string[] = [];
  if (zip.entryCount > MOST_ENTRIES) {
    zip.close();
    throw new DamagedFile(`The zip says it has ${zip.entryCount} files; an archive has fewer.`);
  }
  const openOf = (entry: Entry) => (): Promise<Readable> =>
    new Promise((done, failed) => {
      const { compressionMethod, compressedSize, uncompressedSize } = entry;
      // Stored files are read in large pieces, as sound is long.
      if (compressionMethod === 0 && compressedSize === uncompressedSize && compressedSize > LARGE) {
        zip.readLocalFileHeader(entry, { minimal: true }, (error, local) => {
          if (error) return failed(error);
          const start = local.fileDataStart;
          done(createReadStream(path, { start, end: start + compressedSize - 1, highWaterMark: LARGE }));
        });
      } else zip.openReadStream(entry, (error, stream) => (error ? failed(error) : done(stream)));
    });
  return new Promise((done, failed) => {
    zip.on('error', failed);
    zip.on('end', () => {
      ranges.sort(([a], [b]) => a - b);
      if (ranges.some(([from], i) => i > 0 && from < ranges[i - 1]![1]))
        failed(new DamagedFile('Files of the zip lie over one another. Nothing of it was read.'));
      else if (total > budgetOf(size)) failed(tooMuch(total, size));
      else done({ entries, strange, cut: false, close: () => zip.close() });
    });
    zip.on('entry', (entry: Entry) => {
      const { fileName: name, uncompressedSize: bytes, compressedSize } = entry;
      const known = kindOfEntry(name) !== undefined && !entries.has(name) && !isLink(entry);
      const fits = bytes <= mostOf(name);
      const start = entry.relativeOffsetOfLocalHeader;
      ranges.push([start, start + HEAD + entry.fileNameLength + compressedSize]);
      if (known && fits) {
        entries.set(name, { bytes, open: openOf(entry) });
        total += bytes;
      } else if (!name.endsWith('/')) strange.push(name.slice(0, 200));
      zip.readEntry();
    });
    zip.readEntry();
  });
}

const LOCAL = 0x04034b50;
const DESCRIPTOR = 0x08074b50;
const HEAD = 30;

interface Local {
  readonly name: string;
  readonly method: number;
  readonly start: number;
  /** Length; null where it follows the bytes. */
  readonly packed: number | null;
}

async function localAt(file: FileHandle, at: number): Promise<Local | undefined> {
  const head = Buffer.alloc(HEAD);
  if ((await file.read(head, 0, HEAD, at)).bytesRead < HEAD || head.readUInt32LE(0) !== LOCAL) return undefined;
  const name = Buffer.alloc(head.readUInt16LE(26));
  if ((await file.read(name, 0, name.length, at + HEAD)).bytesRead < name.length) return undefined;
  const later = (head.readUInt16LE(6) & 8) !== 0;
  return {
    name: name.toString('utf8'),
    method: head.readUInt16LE(8),
    start: at + HEAD + name.length + head.readUInt16LE(28),
    packed: later ? null : head.readUInt32LE(18),
  };
}

/** Compressed and unpacked length of deflated bytes; undefined for broken ones and beyond the limit. */
function inflated(path: string, start: number, most: number): Promise<{ packed: number; bytes: number } | undefined> {
  return new Promise((done) => {
    const source = createReadStream(path, { start });
    const inflate = createInflateRaw();
    let bytes = 0;
    const stop = (found: { packed: number; bytes: number } | undefined): void => {
      source.destroy();
      inflate.destroy();
      done(found);
    };
    inflate.on('data', (piece: Buffer) => {
      bytes += piece.length;
      if (bytes > most) stop(undefined);
    });
    inflate.on('end', () => stop({ packed: inflate.bytesWritten, bytes }));
    inflate.on('error', () => stop(undefined));
    source.on('error', () => stop(undefined));
    source.pipe(inflate);
  });
}

/** Data descriptor after a streamed file: checksum and two lengths, of four or eight bytes. */
async function behind(file: FileHandle, at: number): Promise<number> {
  const found = Buffer.alloc(28);
  await file.read(found, 0, found.length, at);
  if (found.readUInt32LE(0) !== DESCRIPTOR) return at;
  return found.readUInt32LE(16) === LOCAL ? at + 16 : at + 24;
}

/** Complete files at the beginning of a cut-off zip. Lengths of sounds are in the archive's list, its first file. */
async function salvaged(
  path: string,
  manifestOf: (entry: ZipEntry) => Promise<Manifest | undefined>,
): Promise<OpenedZip> {
  const { size } = await stat(path);
  const file = await openFile(path, 'r');
  const entries = new Map<string, ZipEntry>();
  const strange: string[] = [];
  let manifest: Manifest | undefined;
  let left = budgetOf(size);
  try {
    for (let at = 0; entries.size < MOST_ENTRIES;) {
      const local = await localAt(file, at);
      if (!local) break;
      const { name, method, start } = local;
      const known = kindOfEntry(name) !== undefined && !entries.has(name);
      let length: { packed: number; bytes: number } | undefined;
      if (method === 8) length = await inflated(path, start, Math.min(left, mostOf(name)));
      else {
        const bytes = local.packed ?? manifest?.files[name]?.bytes;
        if (bytes !== undefined) length = { packed: bytes, bytes };
      }
      if (!length || start + length.packed > size) break;
      left -= length.bytes;
      const { packed, bytes } = length;
      const open = async (): Promise<Readable> => {
        // Empty ranges cannot be requested.
        const raw = createReadStream(path, { start, end: Math.max(start, start + packed - 1) });
        return method === 8 ? raw.pipe(createInflateRaw()) : raw;
      };
      if (known) entries.set(name, { bytes, open });
      else strange.push(name.slice(0, 200));
      if (name === MANIFEST) manifest = await manifestOf(entries.get(name)!);
      at = local.packed === null ? await behind(file, start + packed) : start + packed;
    }
  } finally {
    await file.close();
  }
  return { entries, strange, cut: true, close: () => {} };
}

/**
 * Opens a zip from outside without unpacking it; none of its names becomes a path.
 * @param manifestOf reads the list of its files
 * @throws DamagedFile for a file that is no zip, or a malicious one
 */
export async function openArchiveZip(
  path: string,
  manifestOf: (entry: ZipEntry) => Promise<Manifest | undefined>,
): Promise<OpenedZip> {
  const zip = await byDirectory(path).catch((error: Error) => error);
  if (!(zip instanceof Error)) {
    const opened = await listed(path, zip, (await stat(path)).size).catch((error: Error) => error);
    if (!(opened instanceof Error)) return opened;
    zip.close();
    if (opened instanceof DamagedFile) throw opened;
    if (/absolute path|invalid relative path|invalid characters/.test(opened.message))
      throw new DamagedFile('The zip holds names that lead out of it. Nothing of it was read.');
  }
  const found = await salvaged(path, manifestOf);
  if (found.entries.size === 0) throw new DamagedFile('This is not a zip, or nothing in it is whole.');
  return found;
}
