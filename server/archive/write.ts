import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { finished, Readable } from 'node:stream';
import {
  ARCHIVE_VERSION,
  audioPath,
  historyPath,
  layerEntrySchema,
  layerPath,
  MANIFEST,
  README,
  recordingsPath,
  readmeOf,
  songEntrySchema,
  songPath,
  versionEntrySchema,
  versionPath,
  type Manifest,
} from '../../core/archive/archive';
import { deliverySchema } from '../../core/handover/delivery';
import type { Recording } from '../../core/takes/sound';
import { audioFile, endingOf } from '../store/audio';
import { belongingsOf } from '../store/belongings';
import { snapshotOf, type Database } from '../store/database';
import { readLayers } from '../store/layers';
import { recordingsByNow, type SoFar } from '../store/recordings';
import { addLazily, outgoingZip } from './outgoing';

/** File of an archive. Its content is read when it is written, so that little is in memory. */
interface Planned {
  readonly path: string;
  /** Stored without compression, as sound does not get smaller. */
  readonly compress: boolean;
  readonly open: () => Promise<Readable>;
  /** Size and hash where they are known, so that the file need not be read for them. */
  readonly known?: { readonly bytes: number; readonly sha256: string };
}
interface SongRow {
  readonly id: string;
  readonly position: number;
  readonly revision: number;
  readonly document: string;
  readonly away_at: string | null;
  readonly deleted_at: string | null;
}

const textOf = (value: unknown): Promise<Readable> =>
  Promise.resolve(Readable.from([Buffer.from(JSON.stringify(value))]));

/** Number of history rows read at once. */
const ROWS = 200;
/** History as lines of JSON, with patches as they are in the database. */
async function* historyLines(db: Database, songId: string): AsyncGenerator<Buffer> {
  for (let after = 0; ;) {
    const rows = await db('song_changes')
      .where({ song_id: songId })
      .where('revision', '>', after)
      .orderBy('revision')
      .limit(ROWS);
    for (const { revision, change_id: id, kind, name, patches, inverse, made_at: at } of rows) {
      const head = JSON.stringify({ revision, id, kind, name });
      yield Buffer.from(`${head.slice(0, -1)},"patches":${patches},"inverse":${inverse},"at":${JSON.stringify(at)}}\n`);
      after = revision;
    }
    if (rows.length < ROWS) return;
  }
}

async function songFiles(
  db: Database,
  row: SongRow,
  index: number,
  recordings: readonly Recording[],
): Promise<Planned[]> {
  const json = (path: string, open: () => Promise<unknown>): Planned => ({
    ...{ path, compress: true },
    open: async () => textOf(await open()),
  });
  const { id, position, revision, away_at: away, deleted_at: deleted, document } = row;
  const layers = await db('layers').where({ song_id: id }).orderBy('id').pluck('id');
  const versions = await db('versions').where({ song_id: id }).orderBy('number').pluck('number');
  return [
    json(songPath(index), () =>
      Promise.resolve(
        songEntrySchema.parse({ id, position, revision, away, deleted, document: JSON.parse(document) as unknown }),
      ),
    ),
    {
      ...{ path: historyPath(index), compress: true },
      open: () => Promise.resolve(Readable.from(historyLines(db, id), { objectMode: false })),
    },
    ...(recordings.length > 0 ? [json(recordingsPath(index), () => Promise.resolve(recordings))] : []),
    ...layers.map((layerId: string, i: number) =>
      json(layerPath(index, i), async () => {
        const [layer] = await readLayers(db, id, layerId);
        const { header, mode, closing, taken, events } = layer!;
        return layerEntrySchema.parse({ header, mode, closing, taken, events });
      }),
    ),
    ...versions.map((number: number) =>
      json(versionPath(index, number), async () => {
        const version = await db('versions').where({ song_id: id, number }).first();
        return versionEntrySchema.parse({
          ...{ number, at: version.at },
          ...{ document: JSON.parse(version.document) as unknown, facts: JSON.parse(version.facts) as unknown },
        });
      }),
    ),
  ];
}

/** Number of bytes of sound read at once. */
const PIECE = 1 << 20;

/** Sound of songs: stored files, and recordings so far. */
async function audioFiles(
  db: Database,
  dataFolder: string,
  hashes: readonly string[],
  soFar: readonly SoFar[],
): Promise<Planned[]> {
  const files: Planned[] = [];
  for (const hash of [...new Set(hashes)].sort()) {
    const own = soFar.find((s) => s.recording.audio === hash);
    const found = own ? undefined : await audioFile(db, dataFolder, hash);
    const known = (bytes: number) => ({ bytes, sha256: hash });
    if (own)
      files.push({
        ...{ path: audioPath(hash, 'wav'), compress: false },
        ...{ open: () => Promise.resolve(own.open()), known: known(own.bytes) },
      });
    // A missing backing is left out; the rest of the job is archived.
    if (found)
      files.push({
        ...{ path: audioPath(hash, endingOf(found.type)), compress: false },
        open: () => Promise.resolve(createReadStream(found.path, { highWaterMark: PIECE })),
        known: known(found.length),
      });
  }
  return files;
}

async function measured(file: Planned): Promise<{ bytes: number; sha256: string }> {
  const hash = createHash('sha256');
  let bytes = 0;
  for await (const piece of await file.open()) {
    hash.update(piece as Buffer);
    bytes += (piece as Buffer).length;
  }
  return { bytes, sha256: hash.digest('hex') };
}

/** Files of a job's archive, with its list. `close` is called after the last file. */
async function planned(
  db: Database,
  dataFolder: string,
  jobId: string,
  at: string,
  withBanks: boolean,
): Promise<
  { readonly files: readonly Planned[]; readonly manifest: Manifest; readonly close: () => Promise<void> } | undefined
> {
  const job = await db('jobs').where({ id: jobId }).first();
  if (!job) return undefined;
  const songs = (await db<SongRow>('songs')
    .where({ job_id: jobId } as never)
    .orderBy('position')) as SongRow[];
  const files: Planned[] = [];
  const hashes: string[] = [];
  const open: SoFar[] = [];
  for (const [i, song] of songs.entries()) {
    const { backings, banks, recordings: names } = await belongingsOf(db, song.id);
    const { recordings, soFar } = await recordingsByNow(db, dataFolder, names);
    hashes.push(...backings, ...(withBanks ? banks : []), ...recordings.map((r) => r.audio));
    open.push(...soFar);
    files.push(...(await songFiles(db, song, i + 1, recordings)));
  }
  files.push(...(await audioFiles(db, dataFolder, hashes, open)));
  const manifest: Manifest = {
    ...{ format: 'tall-kettle archive', version: ARCHIVE_VERSION, at },
    job: {
      ...{ id: jobId, title: job.title, client: job.client, due: job.due, notes: job.notes, createdAt: job.created_at },
      ...{ away: job.away_at, deleted: job.deleted_at },
      delivery: job.delivery === null ? null : deliverySchema.parse(JSON.parse(job.delivery)),
    },
    songs: songs.length,
    files: {},
  };
  for (const file of files) manifest.files[file.path] = file.known ?? (await measured(file));
  const close = async (): Promise<void> => {
    for (const own of open) await own.close();
  };
  return { files, manifest, close };
}

function zipOf({ files, manifest }: NonNullable<Awaited<ReturnType<typeof planned>>>, at: string): Readable {
  const { zip, out } = outgoingZip();
  const mtime = new Date(at);
  zip.addBuffer(Buffer.from(JSON.stringify(manifest)), MANIFEST, { mtime });
  zip.addBuffer(Buffer.from(readmeOf(manifest.job.title)), README, { mtime });
  for (const { path, compress, open } of files) {
    const { bytes: size } = manifest.files[path]!;
    addLazily(zip, path, { mtime, compress, size }, open);
  }
  zip.end();
  return out;
}

/**
 * A job as a zip, with everything that was ever played for it, as it is at this moment: what is recorded while the
 * archive is written is not in it. Files are read as they go out; the first, which lists the others, is made by reading
 * them once before.
 * @param at the archive's date, ISO 8601; all else in it depends on the job alone
 * @param withBanks with the sound banks that its songs use, which may be large and not the player's to give
 * @returns undefined where there is no such job
 */
export async function archiveOf(
  dataFolder: string,
  jobId: string,
  at: string,
  withBanks = false,
): Promise<{ readonly title: string; readonly stream: Readable } | undefined> {
  const db = await snapshotOf(dataFolder);
  let stream: Readable | undefined;
  try {
    const plan = await planned(db, dataFolder, jobId, at, withBanks);
    if (!plan) return undefined;
    stream = zipOf(plan, at);
    finished(stream, () => void plan.close().finally(() => db.destroy()));
    return { title: plan.manifest.job.title, stream };
  } finally {
    if (!stream) await db.destroy();
  }
}
