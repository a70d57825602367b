import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, mkdirSync, rmSync } from 'node:fs';
import { copyFile, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { SongDocument } from '../../core/document/document';
import { filesIn } from '../../core/document/sounds';
import { mapsOf } from '../../core/document/maps';
import type { Part } from '../../core/document/part';
import { changedSince, changedWords } from '../../core/handover/changed';
import { checksOf } from '../../core/handover/checks';
import { formatOf, sameDelivery, type Delivery } from '../../core/handover/delivery';
import { forClient } from '../../core/handover/clientText';
import { filesOf, hasSomething, partsGoing, partsWanted, type PlannedFile } from '../../core/handover/files';
import { midiSongOf } from '../../core/handover/midi';
import { cueSheet, deliveryNote, deliveryPage, type NoteFacts, type WrittenFile } from '../../core/handover/sheets';
import type { Levels } from '../../core/handover/loudness';
import { writeMidiFile } from '../../core/files/smf';
import { lineOf, type Layers, type TakeReader, songReader } from '../../core/song/reading';
import type { Decibels, Seconds } from '../../core/time/units';
import { audioFile, audioFolder, endingOf } from '../store/audio';
import { checkBanks } from '../store/banks';
import type { Database } from '../store/database';
import { storageFault } from '../store/faults';
import { closedLayers, readLayers } from '../store/layers';
import { readSong } from '../store/songs';
import { addVersion, readDelivery, readNewestWith, readVersion, type StoredVersion } from '../store/versions';
import { frameOf, soundOfPart } from '../../core/song/sound';
import type { Recordings } from '../../core/takes/sound';
import { recordingsOf } from '../store/recordings';
import { isSound, soundTasks } from './sounds';
import type { RecordedPiece } from './task';
import { inWorkers } from './workers';

/** Parts of the delivery that are made: all, those that changed since they went out, or some by their ids. */
export type Which = 'all' | 'changed' | readonly string[];
/** Wish: what is asked for: what the song is now, or an earlier version once more. */
export type Wish =
  /** With the revision, and the delivery, that is on the screen: nothing is made of another. */
  | { readonly revision: number; readonly which: Which; readonly delivery?: Delivery | undefined }
  /** An earlier version, as it went out. */
  | { readonly again: number };

/** A delivery that is being made ready, or lies ready to be taken. */
export interface Run {
  readonly id: string;
  readonly songId: string;
  readonly state: 'making' | 'ready' | 'failed';
  readonly version: number;
  /** It is an earlier version once more. */
  readonly again: boolean;
  /** 0 to 1. */
  readonly done: number;
  /** Time that it will still take; null while that cannot be said. */
  readonly secondsLeft: Seconds | null;
  readonly files: readonly WrittenFile[];
  /** Peaks of the parts when a client plays them together; empty for one part. */
  readonly sums: readonly { readonly level: boolean; readonly truePeak: Decibels }[];
  /** Files of an earlier version that did not come out as they had; empty where all did. */
  readonly differ: readonly string[];
  /** It has been handed over. */
  readonly handed: boolean;
  readonly trouble: string;
}

/** Source that a run makes its files from. */
interface Source {
  readonly document: SongDocument;
  readonly delivery: Delivery;
  readonly parts: readonly Part[];
  readonly layers: Layers;
  readonly recordings: Recordings;
  readonly job: { readonly title: string; readonly client: string };
  readonly version: number;
  readonly at: string;
  readonly changed: readonly string[] | null;
  readonly onlyChanged: boolean;
  readonly alone: boolean;
  /** As they were, of an earlier version. */
  readonly before: StoredVersion | null;
}
interface Working {
  run: Run;
  readonly source: Source;
  readonly folder: string;
  readonly stop: AbortController;
  /** Kept once nothing writes into the folder any more, whatever became of it. */
  ended: Promise<void>;
}

/** Error with the reason why nothing can be made. */
export class NothingToMake extends Error {
  constructor(
    readonly status: 404 | 409 | 422,
    message: string,
  ) {
    super(message);
  }
}

const runs = new Map<string, Working>();
const folderOf = (dataFolder: string): string => join(dataFolder, 'handover');

/** Throws away what was made ready before the server ended. Call it before anything is made. */
export const sweepRuns = (dataFolder: string): void => rmSync(folderOf(dataFolder), { recursive: true, force: true });

/** Throws away what was made ready. */
const throwAway = (folder: string): Promise<void> =>
  // What stays now is swept when the server begins.
  rm(folder, { recursive: true, force: true }).catch(() => {});

async function jobOf(db: Database, jobId: string): Promise<Source['job']> {
  const row = await db<{ id: string; title: string; client: string }>('jobs').where({ id: jobId }).first();
  return { title: row?.title ?? '', client: row?.client ?? '' };
}

/** @throws NothingToMake */
async function sourceOf(db: Database, songId: string, wish: Wish, at: string): Promise<Source> {
  const song = await readSong(db, songId);
  if (!song) throw new NothingToMake(404, 'That song is not there.');
  const layers = closedLayers(await readLayers(db, songId));
  const recordedFor = async (document: SongDocument): Promise<{ layers: Layers; recordings: Recordings }> => {
    const found = await recordingsOf(db, [...layers.values()], [document]);
    return { layers, recordings: new Map(found.map((r) => [r.id, r])) };
  };
  if ('again' in wish) {
    const before = await readVersion(db, songId, wish.again);
    if (!before) throw new NothingToMake(404, `There is no version ${wish.again} of this song.`);
    const { document, delivery, job, at: then, changed, onlyChanged, alone = false, number } = before;
    const parts = document.parts.filter((p) => before.parts.includes(p.id));
    return {
      ...{ document, delivery, parts, ...(await recordedFor(document)), job, version: number, at: then },
      ...{ changed, onlyChanged, alone, before },
    };
  }
  if (song.revision !== wish.revision)
    throw new NothingToMake(409, 'The song has changed since this page read it. Nothing was made; try it once more.');
  const { document } = song;
  const delivery = (await readDelivery(db, song.jobId))!;
  if (wish.delivery && !sameDelivery(wish.delivery, delivery))
    throw new NothingToMake(
      409,
      'The delivery was set otherwise in another window. Nothing was made; see what it is now.',
    );
  const wanted = partsWanted(document, delivery);
  const out = await readNewestWith(db, songId, wanted);
  const changes = out.length > 0 ? changedSince(out, document, wanted, layers) : null;
  const maps = mapsOf(document);
  const read = songReader(document, layers).read;
  const going = partsGoing(document, delivery, (part) =>
    hasSomething(part, lineOf(part, read, maps), layers, document, maps),
  );
  const { which } = wish;
  const alone = typeof which !== 'string';
  // A song that changed as a whole changed all of its parts.
  const onlyChanged = which === 'changed' && changes?.song.length === 0;
  const named = alone ? which : going.map((p) => p.id);
  const some = onlyChanged ? changes.parts.map((c) => c.id) : named;
  const parts = going.filter((p) => some.includes(p.id));
  if (parts.length === 0)
    throw new NothingToMake(
      422,
      going.length === 0 || alone
        ? 'No part with notes goes out, so there is nothing to make.'
        : 'No part has changed.',
    );
  // Changes of a part that is not in it are none of this version's.
  const own = changes && alone ? { ...changes, parts: changes.parts.filter((c) => which.includes(c.id)) } : changes;
  return {
    ...{ document, delivery, parts, ...(await recordedFor(document)), job: await jobOf(db, song.jobId) },
    ...{ version: (out[0]?.number ?? 0) + 1, at, changed: own && changedWords(own) },
    ...{ onlyChanged, alone, before: null },
  };
}

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

/** Makes a delivery ready, in the background. @throws NothingToMake */
export async function startRun(db: Database, dataFolder: string, songId: string, wish: Wish, now: Date): Promise<Run> {
  const source = await sourceOf(db, songId, wish, now.toISOString());
  // One of a song at a time: what lay ready before gives way.
  for (const [id, other] of runs) if (other.run.songId === songId) void endRun(id);
  const id = randomUUID();
  const folder = join(folderOf(dataFolder), id);
  mkdirSync(folder, { recursive: true });
  const working: Working = {
    ...{ source, folder, stop: new AbortController(), ended: Promise.resolve() },
    run: {
      ...{ id, songId, state: 'making', version: source.version, again: source.before !== null, done: 0 },
      ...{ secondsLeft: null, files: [], sums: [], differ: [], handed: false, trouble: '' },
    },
  };
  runs.set(id, working);
  working.ended = make(db, dataFolder, working).catch(async (error: unknown) => {
    await throwAway(folder);
    if (!working.stop.signal.aborted)
      update(working, { state: 'failed', secondsLeft: null, trouble: troubleOf(error) });
  });
  return working.run;
}

function troubleOf(error: unknown): string {
  const fault = storageFault(error);
  if (fault) return `The files could not be made ready: ${fault.words}`;
  return `The files could not be made ready: ${error instanceof Error ? error.message : String(error)}`;
}

const update = (working: Working, to: Partial<Run>): void => {
  working.run = { ...working.run, ...to };
};

export const runOf = (id: string): Run | undefined => runs.get(id)?.run;

/** Stops a run and throws away what it made, once nothing is written there any more. */
export async function endRun(id: string): Promise<boolean> {
  const working = runs.get(id);
  if (!working) return false;
  runs.delete(id);
  working.stop.abort(new Error('It was stopped.'));
  await working.ended;
  await throwAway(working.folder);
  return true;
}

/** Title of a run's zip, and the date of what is in it. */
export function zipTitle(id: string): { readonly title: string; readonly at: string } | undefined {
  const source = runs.get(id)?.source;
  return source && { title: `${source.document.title} - version ${source.version}`, at: source.at };
}

/** Path of a run's file. */
export function madeFile(id: string, index: number): { readonly path: string; readonly file: WrittenFile } | undefined {
  const working = runs.get(id);
  const file = working?.run.files[index];
  return working && file && { path: join(working.folder, file.file.name), file };
}

async function make(db: Database, dataFolder: string, working: Working): Promise<void> {
  const { source, folder, stop } = working;
  const { document, delivery, parts } = source;
  const endings = await endingsOf(db, document);
  const planned = filesOf(document, parts, delivery, { job: source.job.title, version: source.version, endings });
  const pathOf = (file: PlannedFile): string => join(folder, file.name);
  const read = songReader(document, source.layers).read;
  for (const file of planned) await writePlain(db, dataFolder, source, file, read, pathOf(file));
  const recorded = await recordedIn(db, dataFolder, source, read);
  const sounding = new Set(planned.flatMap((file) => (file.type === 'audio' ? [file.part] : [])));
  await checkBanks(
    db,
    dataFolder,
    document.parts.filter((part) => sounding.has(part.id)),
  );
  const ownBanks = audioFolder(dataFolder);
  const { sounds, sums } = await makeSounds(working, planned, read, pathOf, recorded, ownBanks);
  stop.signal.throwIfAborted();
  const files: WrittenFile[] = [];
  for (const file of planned.filter((f) => f.type !== 'note' && f.type !== 'page'))
    files.push(await written(source, file, pathOf(file), sounds.get(file)));
  stop.signal.throwIfAborted();
  update(working, { files, sums, done: 1, secondsLeft: null });
  // An earlier version went out with its note; a new one gets it when it goes.
  if (source.before) await addNotes(working, planned);
  const differ = (source.before?.files ?? [])
    .filter((was) => working.run.files.find((f) => f.file.name === was.name)?.sha256 !== was.sha256)
    .map((was) => was.name);
  update(working, { state: 'ready', handed: source.before !== null, differ });
}

async function endingsOf(db: Database, document: SongDocument): Promise<Record<string, string>> {
  const hashes = filesIn(document);
  const rows = await db<{ hash: string; type: string }>('audio').whereIn('hash', hashes);
  return Object.fromEntries(rows.map(({ hash, type }) => [hash, endingOf(type)]));
}

/** Writes what needs no sound to be made. */
async function writePlain(
  db: Database,
  dataFolder: string,
  { document, delivery }: Source,
  file: PlannedFile,
  read: TakeReader,
  path: string,
): Promise<void> {
  const { resolution, markers, tuned } = delivery;
  if (file.type === 'midi') {
    const own = file.parts.map((id) => document.parts.find((p) => p.id === id)!);
    const song = midiSongOf(document, own, read, { played: file.played, resolution, markers, tuned });
    await writeFile(path, writeMidiFile(song, { format: file.format, resolution }));
  } else if (file.type === 'tempo') {
    await writeFile(path, writeMidiFile(midiSongOf(document, [], read, { resolution, markers }), { resolution }));
  } else if (file.type === 'cues') await writeFile(path, cueSheet(document, mapsOf(document), delivery.backing));
  else if (file.type === 'backing' || file.type === 'pages') {
    const found = await audioFile(db, dataFolder, file.hash);
    if (!found) throw new Error(`What “${file.name}” is made of is not in the data folder.`);
    await copyFile(found.path, path);
  }
}

/** Share of the finishing in the whole: it takes a little of what the bouncing does. */
const FINISHING = { wav: 0.05, flac: 0.5 } as const;
/** After this share of the work the rest can be told. */
const TOLD_FROM = 0.03;

interface Sound {
  readonly seconds: Seconds;
  readonly levels: Levels;
}

interface Made {
  readonly sounds: ReadonlyMap<PlannedFile, Sound>;
  readonly sums: Run['sums'];
}

async function makeSounds(
  working: Working,
  planned: readonly PlannedFile[],
  read: TakeReader,
  pathOf: (file: PlannedFile) => string,
  recorded: (part: Part) => readonly RecordedPiece[],
  ownBanks: string,
): Promise<Made> {
  const { source, stop } = working;
  const { document, delivery } = source;
  const tasks = soundTasks(document, planned, delivery, read, source.at, pathOf, recorded, ownBanks);
  if (tasks.length === 0) return { sounds: new Map(), sums: [] };
  const container = formatOf(delivery);
  const all = tasks.reduce((sum, t) => sum + t.frames, 0) * (1 + FINISHING[container]);
  let frames = 0;
  const began = performance.now();
  const progress = (more: number): void => {
    frames += more;
    const done = Math.min(0.99, frames / all);
    const took = (performance.now() - began) / 1000;
    update(working, { done, secondsLeft: done > TOLD_FROM ? Math.round((took / done) * (1 - done)) : null });
  };
  const bounced = await inWorkers(tasks, stop.signal, progress);
  const longest = Math.max(...bounced.map((b) => b!.frames));
  const sounding = planned.filter(isSound);
  const together = [false, true].flatMap((level) => {
    const own = sounding.flatMap((file, i) => (file.type === 'audio' && file.level === level ? [i] : []));
    const parts = own.map((i) => ({ path: tasks[i]!.path, facts: tasks[i]!.facts, frames: bounced[i]!.frames }));
    return parts.length > 1 ? [{ level, task: { type: 'sum', parts } as const }] : [];
  });
  const summed = await inWorkers(
    together.map((t) => t.task),
    stop.signal,
  );
  const sums = together.map(({ level }, i) => ({ level, truePeak: summed[i]!.levels.truePeak }));
  await inWorkers(
    tasks.map(({ path, facts }, i) => ({
      ...{ type: 'finish', path, facts, from: bounced[i]!.frames, frames: longest, container },
    })),
    stop.signal,
    () => {},
  );
  const sounds = new Map(
    sounding.map((file, i) => [file, { seconds: longest / delivery.rate, levels: bounced[i]!.levels }]),
  );
  return { sounds, sums };
}

/** Sound of the parts that go out as their recorded sound, with where it lies. */
async function recordedIn(
  db: Database,
  dataFolder: string,
  { document, layers, recordings }: Source,
  read: TakeReader,
): Promise<(part: Part) => readonly RecordedPiece[]> {
  const maps = mapsOf(document);
  const sources = { layers, recordings, ...frameOf(document, maps.meter), read };
  const all = new Map(document.parts.map((p) => [p.id, soundOfPart(p, sources, maps)]));
  const files = new Map<string, Pick<RecordedPiece, 'path' | 'data' | 'rate' | 'channels' | 'length'>>();
  for (const id of new Set([...all.values()].flat().map((s) => s.recording))) {
    const { audio, rate, channels, frames, from } = recordings.get(id)!;
    const found = await audioFile(db, dataFolder, audio);
    if (!found) throw new Error(`Sound that was recorded from ${from} is not in the data folder.`);
    const data = found.length - frames * channels * 4;
    if (data < 0) throw new Error(`Sound that was recorded from ${from} is damaged on disk.`);
    files.set(id, { path: found.path, data, rate, channels, length: frames });
  }
  return (part) => all.get(part.id)!.map(({ recording, ...piece }) => ({ ...files.get(recording)!, ...piece }));
}

async function written(source: Source, file: PlannedFile, path: string, sound?: Sound): Promise<WrittenFile> {
  const midi = file.type === 'midi' || file.type === 'tempo';
  return {
    file,
    bytes: (await stat(path)).size,
    sha256: await hashOf(path),
    seconds: midi ? mapsOf(source.document).endSeconds : (sound?.seconds ?? null),
    levels: sound?.levels ?? null,
  };
}

/** The delivery note, which lists the other files. */
async function addNotes(working: Working, planned: readonly PlannedFile[]): Promise<void> {
  const { source, folder } = working;
  const { delivery, parts, layers, job, version, at, changed, onlyChanged } = source;
  const document = withFound(source.document, layers, source.alone ? parts : partsWanted(source.document, delivery));
  const facts: NoteFacts = { job, version, at, changed, onlyChanged, files: working.run.files };
  const maps = mapsOf(document);
  for (const file of planned) {
    if (file.type !== 'note' && file.type !== 'page') continue;
    const make = file.type === 'note' ? deliveryNote : deliveryPage;
    await writeFile(join(folder, file.name), make(document, parts, delivery, facts, maps));
    const own = await written(source, file, join(folder, file.name));
    update(working, { files: [...working.run.files, own] });
  }
}

/** The song with those checks waved through that are still found in it; of what would clip, nothing is known here. */
function withFound(document: SongDocument, layers: Layers, wanted: readonly Part[]): SongDocument {
  const found = new Set(checksOf(document, wanted, layers, mapsOf(document)).map((c) => c.sign));
  return { ...document, waived: document.waived.filter((w) => found.has(w.check) || w.check.startsWith('clipped')) };
}

/**
 * Remembers that a run's files go out as the song's next version, with the checks that are waved through by now in its
 * note. @throws NothingToMake when it is not ready, or what it was made of is not the song any more
 */
export async function handOver(db: Database, id: string): Promise<{ readonly run: Run; readonly at: string }> {
  const working = runs.get(id);
  if (working?.run.state !== 'ready') throw new NothingToMake(404, 'The files are not ready. Make them once more.');
  if (working.run.handed) return { run: working.run, at: working.source.at };
  const { source, run } = working;
  const now = await readSong(db, run.songId);
  if (!now || forClient(now.document) !== forClient(source.document))
    throw new NothingToMake(409, 'The song has changed since the files were made. Make them once more.');
  const document = now.document;
  const late = { ...working, source: { ...source, document } };
  const endings = await endingsOf(db, document);
  const planned = filesOf(document, source.parts, source.delivery, {
    ...{ job: source.job.title, version: source.version, endings },
  });
  await addNotes(late, planned);
  const { delivery, job, at, changed, onlyChanged, alone, version } = source;
  const files = late.run.files.map(({ file, bytes, sha256, seconds, levels }) => {
    return { name: file.name, bytes, sha256, seconds, levels };
  });
  const taken = await addVersion(db, run.songId, {
    ...{ number: version, at, document, delivery, job, parts: source.parts.map((p) => p.id) },
    ...{ changed: changed && [...changed], onlyChanged, ...(alone ? { alone } : {}), files },
  });
  if (!taken)
    throw new NothingToMake(409, `Version ${version} of this song has gone out meanwhile. Make the files once more.`);
  update(working, { files: late.run.files, handed: true });
  return { run: working.run, at };
}
