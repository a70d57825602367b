import { randomUUID } from 'node:crypto';
import { mkdirSync, rmSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { forClient } from '../../core/handover/clientText';
import type { PlannedFile } from '../../core/handover/files';
import type { WrittenFile } from '../../core/handover/sheets';
import { songReader } from '../../core/reading/reading';
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

/** Run that makes the files of a delivery, or has made them. */
export interface Run {
  readonly id: string;
  readonly songId: string;
  readonly state: 'making' | 'ready' | 'failed';
  readonly version: number;
  /** True if it repeats an earlier version. */
  readonly again: boolean;
  /** Progress, 0 to 1. */
  readonly done: number;
  /** Remaining time; null while unknown. */
  readonly secondsLeft: Seconds | null;
  readonly files: readonly WrittenFile[];
  /** Name of the current part; empty for one part. */
  readonly sums: readonly Sum[];
  /** Files of an earlier version that came out different; empty where none did. */
  readonly differ: readonly string[];
  /** True once it was handed over. */
  readonly handed: boolean;
  readonly trouble: string;
}

interface Working {
  run: Run;
  readonly source: Source;
  readonly folder: string;
  readonly stop: AbortController;
  /** Settles once nothing writes into the folder any more. */
  ended: Promise<void>;
}

const runs = new Map<string, Working>();
const folderOf = (dataFolder: string): string => join(dataFolder, 'handover');

/** Deletes files from before the server's start. It has to run before anything is made. */
export const sweepRuns = (dataFolder: string): void => rmSync(folderOf(dataFolder), { recursive: true, force: true });

/** Deletes a run's files. */
const throwAway = (folder: string): Promise<void> =>
  // Files that cannot be deleted now are deleted when the server starts.
  rm(folder, { recursive: true, force: true }).catch(() => {});

/** Starts making a delivery in the background. @throws NothingToMake */
export async function startRun(db: Database, dataFolder: string, songId: string, wish: Wish, now: Date): Promise<Run> {
  const source = await sourceOf(db, songId, wish, now.toISOString());
  // A song has one run at a time: the earlier one is dropped.
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

/** Stops a run, and deletes its files once nothing is written there. */
export async function endRun(id: string): Promise<boolean> {
  const working = runs.get(id);
  if (!working) return false;
  runs.delete(id);
  working.stop.abort(new Error('It was stopped.'));
  await working.ended;
  await throwAway(working.folder);
  return true;
}

/** Title and date of a run's zip. */
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
  // An earlier version had its note; a new one gets it when it is handed over.
  if (source.before) update(working, { files: await withNotes(source, folder, planned, files) });
  const differ = (source.before?.files ?? [])
    .filter((was) => working.run.files.find((f) => f.file.name === was.name)?.sha256 !== was.sha256)
    .map((was) => was.name);
  update(working, { state: 'ready', handed: source.before !== null, differ });
}

/**
 * Records that a run's files go out as the song's next version, with the findings accepted by now in its note.
 * @throws NothingToMake where it is not ready, or the song has changed since
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
