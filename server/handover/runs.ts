import { randomUUID } from 'node:crypto';
import { mkdirSync, rmSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { forClient } from '../../core/handover/clientText';
import type { PlannedFile } from '../../core/handover/files';
import type { WrittenFile } from '../../core/handover/sheets';
import { songReader } from '../../core/song/reading';
import type { Seconds } from '../../core/time/units';
import { audioFolder } from '../store/audio';
import { checkBanks } from '../store/banks';
import type { Database } from '../store/database';
import { storageFault } from '../store/faults';
import { readSong } from '../store/songs';
import { addVersion } from '../store/versions';
import { makeSounds, plannedFiles, recordedIn, withNotes, writePlain, written, type Sum } from './makeFiles';
import { soundTasks } from './sounds';
import { NothingToMake, sourceOf, type Source, type Wish } from './source';

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
  /** Empty for one part. */
  readonly sums: readonly Sum[];
  /** Files of an earlier version that did not come out as they had; empty where all did. */
  readonly differ: readonly string[];
  /** It has been handed over. */
  readonly handed: boolean;
  readonly trouble: string;
}

interface Working {
  run: Run;
  readonly source: Source;
  readonly folder: string;
  readonly stop: AbortController;
  /** Kept once nothing writes into the folder any more, whatever became of it. */
  ended: Promise<void>;
}

const runs = new Map<string, Working>();
const folderOf = (dataFolder: string): string => join(dataFolder, 'handover');

/** Throws away what was made ready before the server ended. Call it before anything is made. */
export const sweepRuns = (dataFolder: string): void => rmSync(folderOf(dataFolder), { recursive: true, force: true });

/** Throws away what was made ready. */
const throwAway = (folder: string): Promise<void> =>
  // What stays now is swept when the server begins.
  rm(folder, { recursive: true, force: true }).catch(() => {});

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
  const { document, delivery } = source;
  const planned = await plannedFiles(db, source);
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
  const tasks = soundTasks(document, planned, delivery, read, source.at, pathOf, recorded, ownBanks);
  const { sounds, sums } = await makeSounds(tasks, planned, delivery, stop.signal, (far) => update(working, far));
  stop.signal.throwIfAborted();
  const files: WrittenFile[] = [];
  for (const file of planned.filter((f) => f.type !== 'note' && f.type !== 'page'))
    files.push(await written(source, file, pathOf(file), sounds.get(file)));
  stop.signal.throwIfAborted();
  update(working, { files, sums, done: 1, secondsLeft: null });
  // An earlier version went out with its note; a new one gets it when it goes.
  if (source.before) update(working, { files: await withNotes(source, folder, planned, files) });
  const differ = (source.before?.files ?? [])
    .filter((was) => working.run.files.find((f) => f.file.name === was.name)?.sha256 !== was.sha256)
    .map((was) => was.name);
  update(working, { state: 'ready', handed: source.before !== null, differ });
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
  const late = { ...source, document };
  const all = await withNotes(late, working.folder, await plannedFiles(db, late), run.files);
  const { delivery, job, at, changed, onlyChanged, alone, version } = source;
  const files = all.map(({ file, bytes, sha256, seconds, levels }) => {
    return { name: file.name, bytes, sha256, seconds, levels };
  });
  const taken = await addVersion(db, run.songId, {
    ...{ number: version, at, document, delivery, job, parts: source.parts.map((p) => p.id) },
    ...{ changed: changed && [...changed], onlyChanged, ...(alone ? { alone } : {}), files },
  });
  if (!taken)
    throw new NothingToMake(409, `Version ${version} of this song has gone out meanwhile. Make the files once more.`);
  update(working, { files: all, handed: true });
  return { run: working.run, at };
}
