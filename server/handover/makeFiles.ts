import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { copyFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { SongDocument } from '../../core/document/document';
import { mapsOf } from '../../core/document/maps';
import type { Part } from '../../core/document/part';
import { filesIn } from '../../core/document/sounds';
import { writeMidiFile } from '../../core/files/smf';
import { checksOf } from '../../core/handover/checks';
import { formatOf, type Delivery } from '../../core/handover/delivery';
import { filesOf, partsWanted, type PlannedFile } from '../../core/handover/files';
import type { Levels } from '../../core/handover/loudness';
import { midiSongOf } from '../../core/handover/midi';
import { cueSheet, deliveryNote, deliveryPage, type NoteFacts, type WrittenFile } from '../../core/handover/sheets';
import type { Layers, TakeReader } from '../../core/reading/reading';
import { frameOf, soundOfPart } from '../../core/reading/sound';
import type { Decibels, Seconds } from '../../core/time/units';
import { audioFile, endingOf } from '../store/audio';
import type { Database } from '../store/database';
import { isSound } from './sounds';
import type { Source } from './source';
import type { BounceTask, RecordedPiece, RecordedTask } from './task';
import { inWorkers } from './workers';

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

/** Files of a delivery by name, with their content. */
export async function plannedFiles(db: Database, source: Source): Promise<PlannedFile[]> {
  const { document, delivery, parts, job, version } = source;
  const hashes = filesIn(document);
  const rows = await db<{ hash: string; type: string }>('audio').whereIn('hash', hashes);
  const endings = Object.fromEntries(rows.map(({ hash, type }) => [hash, endingOf(type)]));
  return filesOf(document, parts, delivery, { job: job.title, version, endings });
}

/** Writes the files that need no rendering. */
export async function writePlain(
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

/** Share of the progress that finishing takes; bouncing takes the rest. */
const FINISHING = { wav: 0.05, flac: 0.5 } as const;
/** Progress from which the remaining time is estimated. */
const TOLD_FROM = 0.03;

interface Sound {
  readonly seconds: Seconds;
  readonly levels: Levels;
}

/** Peak of the sum of the parts, with or without their levels. */
export interface Sum {
  readonly level: boolean;
  readonly truePeak: Decibels;
}

interface Made {
  readonly sounds: ReadonlyMap<PlannedFile, Sound>;
  readonly sums: readonly Sum[];
}

/** Progress of rendering: share done, 0 to 1, and the remaining time once it can be estimated. */
type Told = (far: { readonly done: number; readonly secondsLeft: Seconds | null }) => void;

/** Bounces the parts, gives all files one length, and measures them. */
export async function makeSounds(
  tasks: readonly (BounceTask | RecordedTask)[],
  planned: readonly PlannedFile[],
  delivery: Delivery,
  signal: AbortSignal,
  told: Told,
): Promise<Made> {
  if (tasks.length === 0) return { sounds: new Map(), sums: [] };
  const container = formatOf(delivery);
  const all = tasks.reduce((sum, t) => sum + t.frames, 0) * (1 + FINISHING[container]);
  let frames = 0;
  const began = performance.now();
  const progress = (more: number): void => {
    frames += more;
    const done = Math.min(0.99, frames / all);
    const took = (performance.now() - began) / 1000;
    told({ done, secondsLeft: done > TOLD_FROM ? Math.round((took / done) * (1 - done)) : null });
  };
  const bounced = await inWorkers(tasks, signal, progress);
  const longest = Math.max(...bounced.map((b) => b!.frames));
  const sounding = planned.filter(isSound);
  const together = [false, true].flatMap((level) => {
    const own = sounding.flatMap((file, i) => (file.type === 'audio' && file.level === level ? [i] : []));
    const parts = own.map((i) => ({ path: tasks[i]!.path, facts: tasks[i]!.facts, frames: bounced[i]!.frames }));
    return parts.length > 1 ? [{ level, task: { type: 'sum', parts } as const }] : [];
  });
  const summed = await inWorkers(
    together.map((t) => t.task),
    signal,
  );
  const sums = together.map(({ level }, i) => ({ level, truePeak: summed[i]!.levels.truePeak }));
  await inWorkers(
    tasks.map(({ path, facts }, i) => ({
      ...{ type: 'finish', path, facts, from: bounced[i]!.frames, frames: longest, container },
    })),
    signal,
    () => {},
  );
  const sounds = new Map(
    sounding.map((file, i) => [file, { seconds: longest / delivery.rate, levels: bounced[i]!.levels }]),
  );
  return { sounds, sums };
}

/** Pieces of the parts that go out as recorded sound. */
export async function recordedIn(
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

export async function written(source: Source, file: PlannedFile, path: string, sound?: Sound): Promise<WrittenFile> {
  const midi = file.type === 'midi' || file.type === 'tempo';
  return {
    file,
    bytes: (await stat(path)).size,
    sha256: await hashOf(path),
    seconds: midi ? mapsOf(source.document).endSeconds : (sound?.seconds ?? null),
    levels: sound?.levels ?? null,
  };
}

/** Writes the delivery notes, which list the other files. @returns all files */
export async function withNotes(
  source: Source,
  folder: string,
  planned: readonly PlannedFile[],
  files: readonly WrittenFile[],
): Promise<WrittenFile[]> {
  const { delivery, parts, layers, job, version, at, changed, onlyChanged } = source;
  const document = withFound(source.document, layers, source.alone ? parts : partsWanted(source.document, delivery));
  const facts: NoteFacts = { job, version, at, changed, onlyChanged, files };
  const maps = mapsOf(document);
  const all = [...files];
  for (const file of planned) {
    if (file.type !== 'note' && file.type !== 'page') continue;
    const make = file.type === 'note' ? deliveryNote : deliveryPage;
    await writeFile(join(folder, file.name), make(document, parts, delivery, facts, maps));
    all.push(await written(source, file, join(folder, file.name)));
  }
  return all;
}

/** Song with those accepted findings that still apply; clipping is unknown here. */
function withFound(document: SongDocument, layers: Layers, wanted: readonly Part[]): SongDocument {
  const found = new Set(checksOf(document, wanted, layers, mapsOf(document)).map((c) => c.fingerprint));
  return { ...document, waived: document.waived.filter((w) => found.has(w.check) || w.check.startsWith('clipped')) };
}
