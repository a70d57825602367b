/**
 * Recordings of outside instruments. While one runs, its samples lie in a file of their own, each piece at the place
 * that its frame says; when it is closed they become a sound file among the others, under its hash.
 */
import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream, mkdirSync } from 'node:fs';
import { open, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { wavHeader } from '../../core/files/wav';
import type { Part } from '../../core/document/part';
import { soundedAgainIn } from '../../core/document/sounds';
import type { LayerHeader } from '../../core/takes/layer';
import type { Recording } from '../../core/takes/sound';
import type { Frames, Milliseconds } from '../../core/time/units';
import { FRESH } from '../../core/vocabulary/limits';
import { audioFile, DiskFull, storeAudio } from './audio';
import { belongingsOf } from './belongings';
import type { Database } from './database';
import { fedAgo, noteFed, serverTime } from './layerFeeds';
import { ifMissing } from './missingFiles';
import { oneByOne } from './oneByOne';

/** Facts known at its opening. */
export type RecordingFacts = Pick<Recording, 'zero' | 'rate' | 'channels' | 'from'>;

interface RecordingRow {
  id: string;
  song_id: string;
  facts: string;
  opened_at: string;
  fed_by: string | null;
  first: number | null;
  frames: number | null;
  audio: string | null;
  closed: number;
  /** Number of its last piece, once its maker has told it. */
  last_piece: number | null;
}
interface PieceRow {
  recording_id: string;
  sequence: number;
  frame: number;
  frames: number;
  sum: string;
}

/** Largest frame number; a later one is an error, and would fill the disk. */
const LONGEST_SECONDS = 6 * 3600;
const SAMPLE_BYTES = 4;

/** Folder with samples of open recordings. */
export const folderOf = (dataFolder: string): string => join(dataFolder, 'recordings');
const fileOf = (dataFolder: string, id: string): string => join(folderOf(dataFolder), `${id}.f32`);

/** Queue of each recording's work, as its file and its rows change together. */
const inTurn = oneByOne();

/** Opens a recording; repeating it changes nothing. @returns 'other' where the id belongs to another song */
export function openRecording(
  db: Database,
  songId: string,
  id: string,
  facts: RecordingFacts,
  by: string | null,
  at: string,
  now: Milliseconds = serverTime(),
): Promise<'open' | 'other'> {
  return db.transaction(async (tx) => {
    const text = JSON.stringify(facts);
    await tx('recordings')
      .insert({ id, song_id: songId, facts: text, opened_at: at, fed_by: by })
      .onConflict('id')
      .ignore();
    const row = await tx<RecordingRow>('recordings').where({ id }).first('song_id', 'facts');
    noteFed(id, now);
    return row?.song_id === songId && row.facts === text ? 'open' : 'other';
  });
}

/**
 * Keeps a piece: 32-bit floats, little-endian, interleaved. The same piece again is harmless; another under its number
 * is not taken. It is on the disk when this returns. One that was closed in its maker's absence, before its last piece
 * had come, is opened again for what is missing.
 * @param frame where it begins, on the audio clock of the recording
 * @throws DiskFull
 */
export const addPiece = (
  db: Database,
  dataFolder: string,
  id: string,
  sequence: number,
  frame: Frames,
  bytes: Uint8Array,
  now: Milliseconds = serverTime(),
): Promise<'kept' | 'closed' | 'unknown' | 'other' | 'out of place'> =>
  inTurn(fileOf(dataFolder, id), async () => {
    const row = await db<RecordingRow>('recordings').where({ id }).first();
    if (!row) return 'unknown';
    const { rate, channels } = JSON.parse(row.facts) as RecordingFacts;
    const size = SAMPLE_BYTES * channels;
    const sum = createHash('sha256').update(bytes).digest('hex');
    const known = await db<PieceRow>('recording_pieces').where({ recording_id: id, sequence }).first();
    if (known) return known.sum === sum && known.frame === frame ? 'kept' : 'other';
    if (row.closed && row.last_piece !== null && sequence > row.last_piece) return 'closed';
    const frames = bytes.length / size;
    const first = row.first ?? frame;
    const far = frame < first || frame + frames - first > LONGEST_SECONDS * rate;
    if (!Number.isInteger(frames) || frames === 0 || far) return 'out of place';
    const path = fileOf(dataFolder, id);
    try {
      if (row.closed && row.audio) await samplesAgain(db, dataFolder, row.audio, row.frames! * size, path);
      await writeAt(path, bytes, (frame - first) * size);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw new DiskFull('The disk is full.');
      throw error;
    }
    await db.transaction(async (tx) => {
      await tx('recording_pieces').insert({ recording_id: id, sequence, frame, frames, sum });
      await tx<RecordingRow>('recordings').where({ id }).update({ first, closed: 0 });
    });
    noteFed(id, now);
    // Its maker will not send the closing again.
    if (row.closed && row.last_piece !== null) await closeOne(db, dataFolder, id, path);
    return 'kept';
  });

/** Writes bytes into a file, creating it where needed, and syncs it to disk. */
async function writeAt(path: string, bytes: Uint8Array, at: number): Promise<void> {
  mkdirSync(dirname(path), { recursive: true });
  const file = await open(path, 'r+').catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ENOENT') throw error;
    return open(path, 'w+');
  });
  try {
    await file.write(bytes, 0, bytes.length, at);
    await file.datasync();
  } finally {
    await file.close();
  }
}

/** Moves the samples of a closed recording back to where pieces are added. */
async function samplesAgain(
  db: Database,
  dataFolder: string,
  hash: string,
  length: number,
  path: string,
): Promise<void> {
  const file = await audioFile(db, dataFolder, hash);
  if (!file) return;
  mkdirSync(dirname(path), { recursive: true });
  await pipeline(createReadStream(file.path, { start: file.length - length }), createWriteStream(path));
}

/** Browser that closes a recording, and the time. */
export interface RecordingCloser {
  readonly by: string | null;
  /** Number of its last piece; null from browsers that did not make it. */
  readonly last: number | null;
  readonly now: Milliseconds;
}

/**
 * Closes a recording: it becomes a sound file. One of which nothing came is closed as well, and is none. Closing again
 * is harmless, also while it is being closed: whoever asks waits for the same.
 * @returns 'recorded' where another browser fed it no longer ago than `FRESH`: then it stays open
 */
export const closeRecording = (
  db: Database,
  dataFolder: string,
  id: string,
  { by, last, now }: RecordingCloser,
): Promise<'closed' | 'unknown' | 'recorded'> =>
  inTurn(fileOf(dataFolder, id), async () => {
    const row = await db<RecordingRow>('recordings').where({ id }).first();
    if (!row) return 'unknown';
    const isAnothers = row.fed_by !== null && row.fed_by !== by;
    if (!row.closed && isAnothers && fedAgo(id, now) < FRESH) return 'recorded';
    if (last !== null) await db<RecordingRow>('recordings').where({ id }).update({ last_piece: last });
    await closeOne(db, dataFolder, id, fileOf(dataFolder, id));
    return 'closed';
  });

/** Open recording so far. */
export interface OpenRecording extends RecordingFacts {
  readonly id: string;
  /** Frame after the last stored one, on the recording's audio clock; null without any. */
  readonly end: Frames | null;
  readonly by: string | null;
  /** Time since data came for it. */
  readonly fedAgo: Milliseconds;
}

/** Open recordings that were made for a song. */
export async function openRecordingsOf(
  db: Database,
  songId: string,
  now: Milliseconds = serverTime(),
): Promise<OpenRecording[]> {
  const rows = await db<RecordingRow>('recordings')
    .where({ song_id: songId, closed: 0 })
    .select('id', 'facts', 'fed_by')
    .orderBy('id');
  const ends = await db('recording_pieces')
    .whereIn(
      'recording_id',
      rows.map((r) => r.id),
    )
    .groupBy('recording_id')
    .select<{ id: string; end: number }[]>('recording_id as id', db.raw('max(frame + frames) as "end"'));
  const endOf = new Map(ends.map((e) => [e.id, e.end]));
  return rows.map(({ id, facts: text, fed_by: by }) => ({
    ...(JSON.parse(text) as RecordingFacts),
    ...{ id, end: endOf.get(id) ?? null, by, fedAgo: fedAgo(id, now) },
  }));
}

async function closeOne(db: Database, dataFolder: string, id: string, path: string): Promise<void> {
  const row = await db<RecordingRow>('recordings').where({ id }).first();
  if (row && !row.closed) {
    const there = (await stat(path).catch(ifMissing(undefined)))?.size ?? 0;
    const frames = await framesKept(db, row, there);
    const { channels } = JSON.parse(row.facts) as RecordingFacts;
    const samples = () => createReadStream(path, { end: frames * channels * SAMPLE_BYTES - 1, highWaterMark: 1 << 20 });
    const audio =
      frames === 0
        ? null
        : (await storeAudio(db, dataFolder, Readable.from(wavOf(headOf(row, frames), samples())))).hash;
    await db<RecordingRow>('recordings').where({ id }).update({ closed: 1, frames, audio });
  }
  await rm(path, { force: true });
}

/**
 * Number of stored frames of an open recording; loss on the disk does not lose the rest.
 * @param there length of its file, in bytes
 */
async function framesKept(db: Database, row: RecordingRow, there: number): Promise<Frames> {
  const { channels } = JSON.parse(row.facts) as RecordingFacts;
  const last = await db('recording_pieces')
    .where({ recording_id: row.id })
    .max(db.raw('frame + frames') as never)
    .first<Record<string, number | null>>();
  const end = Object.values(last ?? {})[0] ?? 0;
  return Math.max(0, Math.min(end - (row.first ?? 0), Math.floor(there / (channels * SAMPLE_BYTES))));
}

function headOf({ id, facts: text, opened_at: at }: RecordingRow, frames: Frames): Uint8Array {
  const { rate, channels, from } = JSON.parse(text) as RecordingFacts;
  const description = `Recording ${id}; ${from}`;
  return wavHeader({ channels, rate, format: '32-bit float', description, at, reference: 0, markers: [] }, frames);
}

async function* wavOf(head: Uint8Array, samples: AsyncIterable<Buffer>): AsyncGenerator<Uint8Array> {
  yield head;
  yield* samples;
}

const facts = (row: RecordingRow): Recording => ({
  ...(JSON.parse(row.facts) as RecordingFacts),
  ...{ id: row.id, first: row.first!, frames: row.frames!, audio: row.audio! },
});

/** Most ids in one database query. */
const AT_ONCE = 500;
/** Fields of a song that refer to recordings beside its layers: lines that were sounded again. */
type Sounded = { readonly parts: readonly Pick<Part, 'soundedAgain'>[] };

/** Closed recordings that a song's layers and parts refer to. A copied song shares those of its original. */
export async function recordingsOf(
  db: Database,
  layers: readonly { readonly header: Pick<LayerHeader, 'sound'> }[],
  documents: readonly Sounded[],
): Promise<Recording[]> {
  const played = layers.flatMap((l) => (l.header.sound ? [l.header.sound.recording] : []));
  return recordingsNamed(db, [...played, ...documents.flatMap(soundedAgainIn)]);
}

/** Closed recordings among some ids. */
export async function recordingsNamed(db: Database, names: readonly string[]): Promise<Recording[]> {
  const ids = [...new Set(names)].sort();
  const found: Recording[] = [];
  for (let i = 0; i < ids.length; i += AT_ONCE) {
    const rows = await db<RecordingRow>('recordings')
      .whereIn('id', ids.slice(i, i + AT_ONCE))
      .whereNotNull('audio')
      .orderBy('id');
    found.push(...rows.map(facts));
  }
  return found;
}

/** Closed recordings of a song. */
export const recordingsOfSong = async (db: Database, songId: string): Promise<Recording[]> =>
  recordingsNamed(db, (await belongingsOf(db, songId)).recordings);

/** Open recording, with a reader of its samples so far. */
export interface SoFar {
  /** Recording that it would be if closed now; its hash is that of `open`'s bytes. */
  readonly recording: Recording;
  readonly bytes: number;
  readonly open: () => Readable;
  readonly close: () => Promise<void>;
}

/**
 * Open recordings among some ids, each as the sound file that it would become, so that a copy in mid-pass has the sound
 * so far. Empty ones are left out.
 */
async function openSoFar(db: Database, dataFolder: string, names: readonly string[]): Promise<SoFar[]> {
  const found: SoFar[] = [];
  for (const id of names) {
    const row = await db<RecordingRow>('recordings').where({ id, closed: 0 }).first();
    const file = row && (await open(fileOf(dataFolder, id), 'r').catch(ifMissing(undefined)));
    if (!row || !file) continue;
    const frames = await framesKept(db, row, (await file.stat()).size);
    const head = headOf(row, frames);
    const { channels } = JSON.parse(row.facts) as RecordingFacts;
    const end = frames * channels * SAMPLE_BYTES;
    if (frames === 0) {
      await file.close();
      continue;
    }
    const wav = () => Readable.from(wavOf(head, file.createReadStream({ start: 0, end: end - 1, autoClose: false })));
    const hash = createHash('sha256');
    for await (const piece of wav()) hash.update(piece as Buffer);
    found.push({
      recording: facts({ ...row, frames, audio: hash.digest('hex') }),
      ...{ bytes: head.length + end, open: wav, close: () => file.close() },
    });
  }
  return found;
}

/** Recordings of some ids as if all were closed now; open ones are read from their samples. */
export async function recordingsByNow(
  db: Database,
  dataFolder: string,
  names: readonly string[],
): Promise<{ readonly recordings: readonly Recording[]; readonly soFar: readonly SoFar[] }> {
  const soFar = await openSoFar(db, dataFolder, names);
  const open = new Set(soFar.map((s) => s.recording.id));
  const closed = (await recordingsNamed(db, names)).filter((r) => !open.has(r.id));
  return { recordings: [...closed, ...soFar.map((s) => s.recording)], soFar };
}

/** Test for a recording whose sound can be loaded. */
export const isClosed = async (db: Database, id: string): Promise<boolean> =>
  (await db<RecordingRow>('recordings').where({ id, closed: 1 }).whereNotNull('audio').first('id')) !== undefined;

/** Adds a complete recording; one with the same id counts as the same. */
export async function bringRecording(
  db: Database,
  songId: string,
  { id, first, frames, audio, zero, rate, channels, from }: Recording,
  at: string,
): Promise<void> {
  await db('recordings')
    .insert({
      ...{ id, song_id: songId, facts: JSON.stringify({ zero, rate, channels, from }), opened_at: at },
      ...{ first, frames, audio, closed: true },
    })
    .onConflict('id')
    .ignore();
}
