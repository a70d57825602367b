import {
  historyPath,
  kindOfEntry,
  layerEntrySchema,
  layerPath,
  recordingsEntrySchema,
  recordingsPath,
  songEntrySchema,
  songPath,
  versionEntrySchema,
  versionPath,
  type SongEntry,
} from '../../core/archive/archive';
import { DamagedFile } from '../../core/files/damaged';
import { nextTitle } from '../../core/song/copy';
import { packEvents } from '../../core/takes/packed';
import { MEDIA_TYPES } from '../../core/files/sound';
import { listBank } from '../store/banks';
import { TooManyKept } from '../store/kept';
import { adoptAudio } from '../store/audio';
import { bringRecording } from '../store/recordings';
import type { Database } from '../store/database';
import { songOf } from '../store/songText';
import { storageFault } from '../store/faults';
import { readEntry, readHistory, soundPath, type Look } from './look';

/** Treatment of a job that exists already: a copy beside it, or its songs added to the existing ones. */
export const WAYS = ['beside', 'merge'] as const;
export type Way = (typeof WAYS)[number];

export interface Brought {
  readonly jobId: string;
  readonly title: string;
  /** Titles of imported songs. */
  readonly came: readonly string[];
  /** Titles of songs that exist already in the same state. */
  readonly same: readonly string[];
  /** Songs and backings that could not be imported. */
  readonly refused: readonly string[];
}

/** Renames ids in a song: whole strings, and note ids, which begin with their layer's. */
function renamer(names: ReadonlyMap<string, string>): <T>(value: T) => T {
  const one = (text: string): string => {
    const whole = names.get(text);
    if (whole !== undefined) return whole;
    const colon = text.lastIndexOf(':');
    const layer = colon > 0 ? names.get(text.slice(0, colon)) : undefined;
    return layer === undefined ? text : layer + text.slice(colon);
  };
  const all = (value: unknown): unknown => {
    if (typeof value === 'string') return one(value);
    if (Array.isArray(value)) return value.map(all);
    if (value === null || typeof value !== 'object') return value;
    return Object.fromEntries(Object.entries(value).map(([key, own]) => [one(key), all(own)]));
  };
  return <T>(value: T) => all(value) as T;
}

interface Placing {
  readonly jobId: string;
  /** Ids of the song and its layers that are in use already. */
  readonly anew: boolean;
  readonly title: (title: string) => string;
}

/** Test for an existing song in the same state: the same history up to the same revision. */
async function isSame(db: Database, { id, revision, document }: SongEntry): Promise<boolean> {
  const row = await db('songs').where({ id }).first('revision', 'document');
  if (row?.revision !== revision) return false;
  // Songs of older versions are migrated for the comparison.
  return JSON.stringify(songOf(row.document)) === JSON.stringify(document);
}

/** Imports a song with everything of it that is intact, in one transaction. */
async function bringSong(
  db: Database,
  { zip, whole, manifest }: Look,
  number: number,
  { jobId, anew, title }: Placing,
  newId: () => string,
): Promise<string> {
  const entry = await readEntry(zip, songPath(number), songEntrySchema);
  const inSong = [...whole].filter((f) => f.startsWith(`songs/${number}/`));
  const indices = (kind: 'layer' | 'version'): number[] =>
    inSong
      .flatMap((f) => {
        const found = kindOfEntry(f);
        return found?.kind === kind ? [found.index] : [];
      })
      .sort((a, b) => a - b);
  const names = new Map<string, string>();
  for (const i of indices('layer')) {
    const { header } = await readEntry(zip, layerPath(number, i), layerEntrySchema);
    if (anew || (await db('layers').where({ id: header.id }).first('id'))) names.set(header.id, newId());
  }
  const recordings = whole.has(recordingsPath(number))
    ? await readEntry(zip, recordingsPath(number), recordingsEntrySchema)
    : [];
  for (const { id, audio } of recordings) {
    // A recording with the same id and content can be shared; a different one gets a new id.
    const there = await db<{ audio: string | null }>('recordings')
      .where({ id } as never)
      .first('audio');
    if (there && there.audio !== audio) names.set(id, newId());
  }
  const renamed = renamer(names);
  const id = anew ? newId() : entry.id;
  const document = renamed({ ...entry.document, title: title(entry.document.title) });
  await db.transaction(async (tx) => {
    await tx('songs').insert({
      ...{ id, job_id: jobId, position: entry.position, revision: entry.revision },
      ...{ away_at: entry.away, deleted_at: entry.deleted, document: JSON.stringify(document) },
    });
    if (whole.has(historyPath(number)))
      for (const row of await readHistory(zip, historyPath(number))) {
        // A change beyond the song's revision would block later changes for ever.
        if (row.revision > entry.revision) throw new DamagedFile('Its history goes on beyond the song.');
        await tx('song_changes').insert({
          ...{
            song_id: id,
            revision: row.revision,
            kind: row.kind,
            name: row.name,
            change_id: row.id,
            made_at: row.at,
          },
          ...{ patches: JSON.stringify(renamed(row.patches)), inverse: JSON.stringify(renamed(row.inverse)) },
        });
      }
    for (const i of indices('layer')) {
      const layer = renamed(await readEntry(zip, layerPath(number, i), layerEntrySchema));
      const { header, mode, closing, taken, events } = layer;
      await tx('layers').insert({
        ...{ id: header.id, song_id: id, header: JSON.stringify(header), mode, taken },
        closing: closing === null ? null : JSON.stringify(closing),
        packed: closing === null ? null : Buffer.from(packEvents(events)),
      });
      if (events.length > 0)
        await tx('layer_chunks').insert({ layer_id: header.id, sequence: 0, events: JSON.stringify(events) });
    }
    // A recording without all of its sound is left out: its takes stay, without that sound.
    for (const recording of renamed(recordings))
      if (await tx('audio').where({ hash: recording.audio }).first('hash'))
        await bringRecording(tx, id, recording, manifest.at);
    for (const n of indices('version')) {
      const version = await readEntry(zip, versionPath(number, n), versionEntrySchema);
      await tx('versions').insert({
        ...{ song_id: id, number: version.number, at: version.at },
        ...{ document: JSON.stringify(renamed(version.document)), facts: JSON.stringify(version.facts) },
      });
    }
  });
  return document.title;
}

/**
 * Imports the job of an archive, all or nothing. Existing data is never overwritten: the job becomes a copy, or its
 * songs are added, changed ones beside the existing ones.
 */
export const bring = (db: Database, dataFolder: string, look: Look, way: Way, newId: () => string): Promise<Brought> =>
  db.transaction((tx) => bringIn(tx, dataFolder, look, way, newId));

async function bringIn(db: Database, dataFolder: string, look: Look, way: Way, newId: () => string): Promise<Brought> {
  const { manifest, zip, whole } = look;
  const refused: string[] = [];
  for (const file of whole) {
    const kind = kindOfEntry(file);
    if (kind?.kind !== 'audio') continue;
    // Bytes with the same hash are the same.
    if (await db('audio').where({ hash: kind.hash }).first('hash')) continue;
    await adoptAudio(db, dataFolder, soundPath(look.path, kind.hash), kind.hash).catch((error: unknown) => {
      if (!(error instanceof DamagedFile)) throw error;
      refused.push(file);
    });
    const bank = await db('audio').where({ hash: kind.hash, type: MEDIA_TYPES.sf2 }).first('hash');
    if (bank)
      await listBank(db, dataFolder, kind.hash).catch((error: unknown) => {
        if (!(error instanceof DamagedFile || error instanceof TooManyKept)) throw error;
        refused.push(file);
      });
  }
  const { job } = manifest;
  const there = await db('jobs').where({ id: job.id }).first('title');
  const joins = there !== undefined && way === 'merge';
  const jobId = there && !joins ? newId() : job.id;
  const titles = (await db('jobs').pluck('title')) as string[];
  const title = there && !joins ? nextTitle(job.title, titles) : job.title;
  if (!joins)
    await db('jobs').insert({
      ...{ id: jobId, title, client: job.client, due: job.due, notes: job.notes, created_at: job.createdAt },
      ...{ away_at: job.away, deleted_at: job.deleted },
      delivery: job.delivery === null ? null : JSON.stringify(job.delivery),
    });
  const came: string[] = [];
  const same: string[] = [];
  for (const song of look.songs) {
    const entry = await readEntry(zip, songPath(song.number), songEntrySchema);
    const known = await db('songs').where({ id: song.id }).first('id');
    if (joins && (await isSame(db, entry))) {
      same.push(song.title);
      continue;
    }
    const others = joins && known ? await titlesOf(db, jobId) : null;
    const placing = { jobId, anew: known !== undefined, title: (t: string) => (others ? nextTitle(t, others) : t) };
    // A song that contradicts itself is left out, and does not stop the others.
    const title = await bringSong(db, look, song.number, placing, newId).catch((error: unknown) => {
      if (storageFault(error) !== undefined) throw error;
      console.error(`“${song.title}” of the archive “${job.title}” could not be brought in:`, error);
      return null;
    });
    if (title === null) refused.push(song.title);
    else came.push(title);
  }
  return { jobId, title: joins ? (there as { title: string }).title : title, came, same, refused };
}

async function titlesOf(db: Database, jobId: string): Promise<string[]> {
  const rows = (await db('songs').where({ job_id: jobId }).pluck('document')) as string[];
  return rows.map((d) => (JSON.parse(d) as { title: string }).title);
}
