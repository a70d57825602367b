/**
 * Recordings of outside instruments. While one runs, its samples lie in a file of their own, each piece at the place
 * that its frame says; when it is closed they become a sound file among the others, under its hash.
 */
import { createHash } from 'node:crypto';
import { createReadStream, mkdirSync } from 'node:fs';
import { open, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { wavHeader } from '../../core/files/wav';
import type { Part } from '../../core/document/part';
import type { LayerHeader } from '../../core/takes/layer';
import type { Recording } from '../../core/takes/sound';
import type { Frames, Milliseconds } from '../../core/time/units';
import { FRESH } from '../../core/vocabulary/limits';
import { DiskFull, storeAudio } from './audio';
import type { Database } from './database';

/** What is known when it is opened. */
export type RecordingFacts = Pick<Recording, 'zero' | 'rate' | 'channels' | 'from'>;

interface RecordingRow {
  id: string;
  song_id: string;
  facts: string;
  opened_at: string;
  fed_by: string | null;
  fed_at: number | null;
  first: number | null;
  frames: number | null;
  audio: string | null;
  closed: number;
}
interface PieceRow {
  recording_id: string;
  sequence: number;
  frame: number;
  frames: number;
  sum: string;
}

/** No pass is longer than this; a frame beyond it is a mistake, and would only fill the disk. */
const LONGEST_SECONDS = 6 * 3600;
const SAMPLE_BYTES = 4;

const folderOf = (dataFolder: string): string => join(dataFolder, 'recordings');
const fileOf = (dataFolder: string, id: string): string => join(folderOf(dataFolder), `${id}.f32`);

/** Opening the same recording again changes nothing. @returns 'other' where its name is taken by another song's */
export async function openRecording(
  db: Database,
  songId: string,
  id: string,
  facts: RecordingFacts,
  by: string | null,
  now: Date,
): Promise<'open' | 'other'> {
  await db('recordings')
    .insert({
      ...{ id, song_id: songId, facts: JSON.stringify(facts), opened_at: now.toISOString() },
      ...{ fed_by: by, fed_at: now.getTime() },
    })
    .onConflict('id')
    .ignore();
  const row = await db<RecordingRow>('recordings').where({ id }).first('song_id', 'facts');
  return row?.song_id === songId && row.facts === JSON.stringify(facts) ? 'open' : 'other';
}

/**
 * Keeps a piece: 32-bit floats, little-endian, interleaved. The same piece again is harmless; another under its number
 * is not taken. It is on the disk when this returns.
 * @param frame where it begins, on the audio clock of the recording
 * @throws DiskFull
 */
export async function addPiece(
  db: Database,
  dataFolder: string,
  id: string,
  sequence: number,
  frame: Frames,
  bytes: Uint8Array,
  now: Milliseconds,
): Promise<'kept' | 'closed' | 'unknown' | 'other' | 'out of place'> {
  const row = await db<RecordingRow>('recordings').where({ id }).first();
  if (!row) return 'unknown';
  const { rate, channels } = JSON.parse(row.facts) as RecordingFacts;
  const size = SAMPLE_BYTES * channels;
  const sum = createHash('sha256').update(bytes).digest('hex');
  const known = await db<PieceRow>('recording_pieces').where({ recording_id: id, sequence }).first();
  if (known) return known.sum === sum && known.frame === frame ? 'kept' : 'other';
  if (row.closed) return 'closed';
  const frames = bytes.length / size;
  const first = row.first ?? frame;
  const far = frame < first || frame + frames - first > LONGEST_SECONDS * rate;
  if (!Number.isInteger(frames) || frames === 0 || far) return 'out of place';
  mkdirSync(folderOf(dataFolder), { recursive: true });
  try {
    const file = await open(fileOf(dataFolder, id), 'r+').catch(() => open(fileOf(dataFolder, id), 'w+'));
    try {
      await file.write(bytes, 0, bytes.length, (frame - first) * size);
      await file.datasync();
    } finally {
      await file.close();
    }
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw new DiskFull('The disk is full.');
    throw error;
  }
  await db.transaction(async (tx) => {
    // One whose first answer was lost may come again while it is still being kept.
    await tx('recording_pieces')
      .insert({ recording_id: id, sequence, frame, frames, sum })
      .onConflict(['recording_id', 'sequence'])
      .ignore();
    await tx<RecordingRow>('recordings').where({ id }).update({ first, fed_at: now });
  });
  return 'kept';
}

const closings = new Map<string, Promise<void>>();

/**
 * Closes a recording for good: it becomes a sound file. One of which nothing came is closed as well, and is none.
 * Closing again is harmless, also while it is being closed: whoever asks waits for the same.
 * @returns 'recorded' where another browser fed it no longer ago than `FRESH`: then it stays open
 */
export async function closeRecording(
  db: Database,
  dataFolder: string,
  id: string,
  by: string | null,
  now: Milliseconds,
): Promise<'closed' | 'unknown' | 'recorded'> {
  const row = await db<RecordingRow>('recordings').where({ id }).first();
  if (!row) return 'unknown';
  if (!row.closed && row.fed_by !== null && row.fed_by !== by && now - (row.fed_at ?? 0) < FRESH) return 'recorded';
  const path = fileOf(dataFolder, id);
  const closing = closings.get(path) ?? closeOne(db, dataFolder, id, path).finally(() => closings.delete(path));
  closings.set(path, closing);
  await closing;
  return 'closed';
}

async function closeOne(db: Database, dataFolder: string, id: string, path: string): Promise<void> {
  const row = await db<RecordingRow>('recordings').where({ id }).first();
  if (row && !row.closed) {
    const { rate, channels, from } = JSON.parse(row.facts) as RecordingFacts;
    const pieces = await db<PieceRow>('recording_pieces').where({ recording_id: id }).select('frame', 'frames');
    const first = row.first ?? 0;
    const there = (await stat(path).catch(() => undefined))?.size ?? 0;
    const kept = pieces.reduce((most, p) => Math.max(most, p.frame + p.frames - first), 0);
    // What a disk has lost since is no reason to lose the rest.
    const frames = Math.min(kept, Math.floor(there / (channels * SAMPLE_BYTES)));
    const audio =
      frames === 0
        ? null
        : (await storeAudio(db, dataFolder, Readable.from(wavOf({ path, rate, channels, frames, from }, row)))).hash;
    await db<RecordingRow>('recordings').where({ id }).update({ closed: 1, frames, audio });
  }
  await rm(path, { force: true });
}

interface Samples {
  readonly path: string;
  readonly rate: number;
  readonly channels: number;
  readonly frames: Frames;
  readonly from: string;
}
async function* wavOf(
  { path, rate, channels, frames, from }: Samples,
  { id, opened_at: at }: Pick<RecordingRow, 'id' | 'opened_at'>,
): AsyncGenerator<Uint8Array> {
  const description = `Recording ${id}; ${from}`;
  yield wavHeader({ channels, rate, format: '32-bit float', description, at, reference: 0, markers: [] }, frames);
  const end = frames * channels * SAMPLE_BYTES - 1;
  for await (const piece of createReadStream(path, { end, highWaterMark: 1 << 20 })) yield piece as Buffer;
}

const facts = (row: RecordingRow): Recording => ({
  ...(JSON.parse(row.facts) as RecordingFacts),
  ...{ id: row.id, first: row.first!, frames: row.frames!, audio: row.audio! },
});

/** Ids that one question of the database may have. */
const AT_ONCE = 500;
/** What of a song points at recordings beside its layers: the times that a part's line was sounded again. */
type Sounded = { readonly parts: readonly Pick<Part, 'soundedAgain'>[] };

/**
 * The closed recordings that a song's layers and its parts point at, whichever song they were made for: a copy has its
 * original's.
 */
export async function recordingsOf(
  db: Database,
  layers: readonly { readonly header: Pick<LayerHeader, 'sound'> }[],
  documents: readonly Sounded[],
): Promise<Recording[]> {
  return recordingsNamed(db, namedBy(layers, documents));
}

function namedBy(
  layers: readonly { readonly header: Pick<LayerHeader, 'sound'> }[],
  documents: readonly Sounded[],
): string[] {
  const again = documents.flatMap((d) => d.parts.flatMap((p) => p.soundedAgain.map((a) => a.recording)));
  const played = layers.flatMap((l) => (l.header.sound ? [l.header.sound.recording] : []));
  return [...played, ...again];
}

/** Those of some names that are closed. */
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

/**
 * Those of a song as it is, and as it was at the versions that are kept; and those that were made for it: undo can
 * bring them back.
 */
export async function recordingsOfSong(db: Database, songId: string): Promise<Recording[]> {
  const headers = (await db('layers').where({ song_id: songId }).pluck('header')) as string[];
  const documents = [
    ...(await db('songs').where({ id: songId }).pluck('document')),
    ...(await db('versions').where({ song_id: songId }).pluck('document')),
  ] as string[];
  const all = headers.map((text) => ({ header: JSON.parse(text) as LayerHeader }));
  const ids = await db('recordings').where({ song_id: songId }).pluck('id');
  return recordingsNamed(db, [...namedBy(all, documents.map(soundedIn)), ...(ids as string[])]);
}

/** Documents of before have nothing of it. */
function soundedIn(text: string): Sounded {
  const { parts } = JSON.parse(text) as { parts?: readonly Partial<Pick<Part, 'soundedAgain'>>[] };
  return { parts: (parts ?? []).map((p) => ({ soundedAgain: p.soundedAgain ?? [] })) };
}

/** A recording that comes from elsewhere, whole. One that is there already under its name is the same. */
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
