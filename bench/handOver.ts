import { spawnSync } from 'node:child_process';
import { randomFillSync, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream, mkdtempSync, rmSync, statSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { fileURLToPath } from 'node:url';
import { mapsOf } from '../core/document/maps';
import { newSong, type SongDocument } from '../core/document/document';
import { newPart } from '../core/document/part';
import { newTake } from '../core/document/take';
import { writeMidiFile } from '../core/files/smf';
import { wavHeader } from '../core/files/wav';
import { checksOf } from '../core/handover/checks';
import { USUAL_DELIVERY } from '../core/handover/delivery';
import { filesOf } from '../core/handover/files';
import { midiSongOf } from '../core/handover/midi';
import { lineOf, readerOf, takeReader } from '../core/reading/reading';
import { header } from '../core/testing/arbitraries';
import type { Layer, LayerEvent } from '../core/takes/layer';
import { archiveOf } from '../server/archive/write';
import { bring } from '../server/archive/bring';
import { lookInto } from '../server/archive/look';
import { bundleThread } from '../server/bundle.mjs';
import { setThread } from '../server/threads';
import { soundTasks } from '../server/handover/sounds';
import { inWorkers } from '../server/handover/workers';
import { storeAudio } from '../server/store/audio';
import { openDatabase } from '../server/store/database';
import { addJob } from '../server/store/jobs';
import { addSong } from '../server/store/songs';
import { atLeast, quantile, under, type Figure } from './figure';
import { newBacking } from '../core/document/backing';
import { sized } from './sizes';

const RATE = 48_000;
const BPM = 120;
const SOUNDS = ['concert grand', 'tine piano', 'tonewheel organ', 'string section', 'felt piano'] as const;

/** Two-handed part: a chord of three on each beat, with eighths above it. */
function eventsOf(seconds: number, shift: number): LayerEvent[] {
  const events: LayerEvent[] = [];
  const note = (at: number, length: number, key: number, velocity: number): void => {
    events.push({ at, message: { type: 'noteOn', key, velocity } });
    events.push({ at: at + length, message: { type: 'noteOff', key, velocity: 64 } });
  };
  for (let beat = 0; beat < seconds * 2; beat += 1) {
    const at = beat / 2 + shift / 100;
    for (const step of [0, 4, 7]) note(at, 0.42, 40 + shift + step + ((beat >> 3) % 5), 70 + (beat % 20));
    note(at, 0.2, 64 + (beat % 12), 90);
    note(at + 0.25, 0.2, 67 + (beat % 12), 80);
  }
  return events.sort((a, b) => a.at - b.at);
}

/** Song with parts up to its end. */
function songOf(minutes: number, parts: number): { song: SongDocument; layers: Map<string, Layer> } {
  const layers = new Map<string, Layer>();
  const bars = (minutes * 60 * BPM) / 60 / 4;
  const range = { from: 0, to: bars * 3840 };
  const made = Array.from({ length: parts }, (_, i) => {
    const id = `part ${i}`;
    const placement = { policy: 'heard', nudge: 0 } as const;
    const tempo = [{ tick: 0, bpm: BPM }];
    const own = header({ id: `${id} layer`, partId: id, takeId: `${id} take`, tempo, planned: range });
    const events = eventsOf(minutes * 60 - 1, i);
    layers.set(own.id, { header: own, closing: { range, clears: [] }, events });
    const take = newTake({ id: `${id} take`, number: 1, layers: [own.id], ...range, placement, at: '' });
    const part = newPart({ id, name: `Part ${i}`, sound: SOUNDS[i % SOUNDS.length]! }, i);
    return { ...part, takes: [take], comp: [{ ...range, takeId: take.id }] };
  });
  return { song: { ...newSong('Bench', 'none'), tempo: [{ tick: 0, bpm: BPM }], bars, parts: made }, layers };
}

const seconds = async (work: () => unknown): Promise<number> => {
  const began = performance.now();
  await work();
  return (performance.now() - began) / 1000;
};

function midiFigure(): Figure {
  const { song, layers } = songOf(4, 5);
  const times = Array.from({ length: 7 }, () => {
    // Takes are read in the measured time.
    const read = takeReader(layers, []);
    const began = performance.now();
    for (const parts of [song.parts, ...song.parts.map((p) => [p])]) writeMidiFile(midiSongOf(song, parts, read));
    return (performance.now() - began) / 1000;
  });
  return under('handover', 'MIDI of five parts of four minutes, together and apart', quantile(times, 0.5), 's', 0.2);
}

function checkFigure(): Figure {
  const { song, layers } = songOf(4, 5);
  const treatment = { id: 't', from: 0, to: song.bars * 3840, grid: '16 straight' as const, strength: 0.7 };
  const treated = song.parts.map((p, i) =>
    i === 0 ? { ...p, treatments: [{ ...treatment, ends: 'keep length' as const, lines: 'phrase' as const }] } : p,
  );
  const document = { ...song, parts: treated };
  const maps = mapsOf(document);
  const reader = readerOf(layers, []);
  // Lines are known before Hand over is opened.
  const lines = new Map(document.parts.map((p) => [p.id, lineOf(p, reader.read, maps)]));
  const notes = [...lines.values()].reduce((sum, l) => sum + l.notes.length, 0);
  const times = Array.from({ length: 7 }, () => {
    const began = performance.now();
    checksOf(document, document.parts, layers, maps, reader, (p) => lines.get(p.id)!);
    return performance.now() - began;
  });
  return under(
    'handover',
    `checks of ${notes} notes in five parts`,
    quantile(times, 0.5),
    'ms',
    (200 * notes) / 10_000,
  );
}

async function bounced(minutes: number, parts: number, folder: string): Promise<number> {
  const { song, layers } = songOf(minutes, parts);
  const delivery = { ...USUAL_DELIVERY, midi: 'none' as const, sheets: false, rate: RATE as 48_000 };
  const files = filesOf(song, song.parts, delivery, { job: '', version: 1 });
  const tasks = soundTasks(song, files, delivery, takeReader(layers, []), '', (f) => join(folder, f.name));
  return seconds(() => inWorkers(tasks, new AbortController().signal));
}

const alone = (args: readonly string[]) =>
  spawnSync(process.execPath, ['--import', 'tsx', fileURLToPath(import.meta.url), ...args], { encoding: 'utf8' });

/** Bounce of a song in a process of its own, with the process's peak memory. */
const ALONE = '--bounce-alone';
function peakOf(minutes: number): number {
  const { stdout } = alone([ALONE, `${minutes}`]);
  return Number(stdout.trim().split('\n').at(-1)) / 1024;
}

async function audioFigures(folder: string): Promise<Figure[]> {
  const worker = join(folder, 'sound.worker.mjs');
  await bundleThread('sound.worker.mjs', worker);
  setThread('sound.worker.mjs', worker);
  const minutes = sized(4, 0.25);
  const one = (minutes * 60) / (await bounced(minutes, 1, folder));
  const five = (5 * minutes * 60) / (await bounced(minutes, 5, folder));
  const [short, long] = [peakOf(minutes), peakOf(4 * minutes)];
  return [
    atLeast('handover', 'audio of one part of four minutes, against real time', one, 'times', 40),
    atLeast('handover', 'audio of five parts together, against one alone', five / one, 'times', 1),
    under('handover', `memory of sixteen minutes against four (${Math.round(short)} MB)`, long / short, 'times', 1.3),
  ];
}

const SONGS = sized(30, 2);
const BACKINGS = sized(2 * 2 ** 30, 2 ** 24);

/** Noise as a WAV of some number of bytes. */
function* noise(bytes: number): Generator<Buffer> {
  const facts = {
    channels: 2,
    rate: RATE,
    format: '24-bit' as const,
    description: '',
    at: '',
    reference: 0,
    markers: [],
  };
  yield Buffer.from(wavHeader(facts, bytes / 6));
  const piece = Buffer.alloc(6 * 2 ** 16);
  for (let done = 0; done < bytes; done += piece.length) {
    randomFillSync(piece, 0, 4096);
    yield Buffer.from(piece.subarray(0, Math.min(piece.length, bytes - done)));
  }
}

/** Run in a process of its own, to measure its memory. */
const ARCHIVE = '--archive-alone';
function archiveFigures(): Figure[] {
  const { stdout, stderr } = alone([ARCHIVE]);
  const last = stdout.trim().split('\n').at(-1) ?? '';
  if (!last.startsWith('[')) throw new Error(stderr);
  return JSON.parse(last) as Figure[];
}

async function archiveHere(folder: string): Promise<Figure[]> {
  const [from, to] = [join(folder, 'from'), join(folder, 'to')];
  const [db, empty] = [await openDatabase(from), await openDatabase(to)];
  await addJob(db, { id: 'job', title: 'Bench', client: '', due: null, notes: '' }, '');
  const each = Math.floor(BACKINGS / SONGS / 6) * 6;
  for (let i = 0; i < SONGS; i += 1) {
    const { hash } = await storeAudio(db, from, Readable.from(noise(each)));
    const backing = newBacking({ id: 'mix', name: 'Mix', audio: hash, gainDb: 0, length: 100 });
    await addSong(db, `song-${i}`, 'job', { ...newSong(`Song ${i}`, 'p'), backings: [backing] });
  }
  const zip = join(folder, 'job.zip');
  const made = `${zip}.copy`;
  let most = 0;
  const watch = setInterval(() => {
    most = Math.max(most, process.memoryUsage().rss);
  }, 20);
  const writing = await seconds(async () => {
    await pipeline((await archiveOf(from, 'job', '2026-01-01T00:00:00Z'))!.stream, createWriteStream(zip));
    const file = await open(zip, 'r+');
    await file.sync();
    await file.close();
  });
  const { size } = statSync(zip);
  const reading = await seconds(async () => {
    const look = await lookInto(zip);
    await bring(empty, to, look, 'beside', randomUUID);
    look.zip.close();
  });
  clearInterval(watch);
  // Time of a plain copy of as many bytes, for comparison.
  const copying = await seconds(async () => {
    await pipeline(createReadStream(zip), createWriteStream(made));
    const file = await open(made, 'r+');
    await file.sync();
    await file.close();
  });
  await Promise.all([db.destroy(), empty.destroy()]);
  const speed = size / copying;
  const words = `an archive of ${SONGS} songs with 2 GB`;
  return [
    atLeast('handover', `${words}: written, against a copy`, size / writing / speed, 'times', 0.5),
    atLeast(
      'handover',
      `${words}: looked through and brought in, against a copy`,
      size / reading / speed,
      'times',
      0.5,
    ),
    under('handover', `${words}: memory of all of it`, most / 2 ** 20, 'MB', 300),
  ];
}

export async function handoverFigures(): Promise<Figure[]> {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-bench-'));
  try {
    return [midiFigure(), checkFigure(), ...(await audioFigures(folder)), ...archiveFigures()];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

if (process.argv.includes(ALONE)) {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-bench-'));
  const worker = join(folder, 'sound.worker.mjs');
  await bundleThread('sound.worker.mjs', worker);
  setThread('sound.worker.mjs', worker);
  await bounced(Number(process.argv.at(-1)), 1, folder);
  rmSync(folder, { recursive: true, force: true });
  console.log(process.resourceUsage().maxRSS);
}
if (process.argv.includes(ARCHIVE)) {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-bench-'));
  console.log(JSON.stringify(await archiveHere(folder)));
  rmSync(folder, { recursive: true, force: true });
}
