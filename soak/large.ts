/**
 * A part whose sound is more than four gigabytes: as a file and in a zip it has its true sizes, its notes lie where
 * they belong to the frame, and what comes over the line is what lies on the disk, in little memory.
 * `SECONDS` makes it shorter; then nothing needs 64 bits.
 */
import { createHash } from 'node:crypto';
import {
  closeSync,
  createReadStream,
  createWriteStream,
  openSync,
  readFileSync,
  readSync,
  rmSync,
  statSync,
} from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { open as openZip, type Entry } from 'yauzl';
import type { Note } from '../core/performance/notes';
import type { Seeded } from '../core/random';
import { addTakenSong } from '../harness/played';
import { madeFiles } from '../harness/runs';
import { startServer } from '../harness/server';
import { holds, search, type Counts, type Outcome, type Settings } from './search';

const RATE = 96_000;
/** Bytes of a frame: 32-bit float, two sides. */
const FRAME = 8;
const SECONDS = Number(process.env.SECONDS ?? 5640);
const BPM = 120;
const SECONDS_A_BAR = 2;
const SPREAD_SECONDS = 60;
const FOUR_GB = 2 ** 32;
/** Level below which sound is silence; a note has to exceed it within some frames. */
const SILENT = 1e-4;
const WITHIN = 960;
const MOST_MEMORY_MB = 500;
/** Speed of making the sound against real time, on a busy machine hardly more than 1. */
const PATIENCE_MS = SECONDS * 1000;

async function shaOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

/** Only sound in a zip: its length in the directory, and its bytes. */
const inZip = (path: string): Promise<{ readonly size: number; readonly sha: string }> =>
  new Promise((done, failed) => {
    openZip(path, { lazyEntries: true }, (error, zip) => {
      if (error) return failed(error);
      zip.on('error', failed);
      zip.on('end', () => failed(new Error('There is no sound in the zip.')));
      zip.on('entry', (entry: Entry) => {
        if (!entry.fileName.endsWith('.wav')) return zip.readEntry();
        zip.openReadStream(entry, (broken, stream) => {
          if (broken) return failed(broken);
          const hash = createHash('sha256');
          pipeline(stream, hash).then(() => done({ size: entry.uncompressedSize, sha: hash.digest('hex') }), failed);
        });
      });
      zip.readEntry();
    });
  });

/** Test for a note that begins at a frame, with silence before. */
function notesAt(file: number, head: number, frame: number): boolean {
  const loudest = (from: number, count: number): number => {
    const bytes = Buffer.alloc(count * FRAME);
    readSync(file, bytes, 0, bytes.length, head + from * FRAME);
    let most = 0;
    for (let at = 0; at < bytes.length; at += 4) most = Math.max(most, Math.abs(bytes.readFloatLE(at)));
    return most;
  };
  return (frame === 0 || loudest(frame - WITHIN, WITHIN) < SILENT) && loudest(frame, WITHIN) > SILENT;
}

async function one(random: Seeded): Promise<Counts> {
  const running = await startServer();
  const taken = join(running.folder, 'taken');
  try {
    const bars = Math.ceil(SECONDS / SECONDS_A_BAR);
    const notes = Array.from({ length: Math.floor((bars * SECONDS_A_BAR - 1) / SPREAD_SECONDS) + 1 }, (_, i): Note => {
      const start = i * SPREAD_SECONDS * 2 * 960;
      return { id: `n${i}`, key: random.integer(48, 72), velocity: 100, release: 64, start, end: start + 240 };
    });
    const id = await addTakenSong(running.address, bars, BPM, [{ notes, controls: [] }]);
    const sound = { rate: RATE, depth: '32-bit float', midi: 'none', sheets: false, markers: false } as const;
    const run = await madeFiles(running.address, id, sound, PATIENCE_MS);
    holds(run.state === 'ready', () => `the run ended as ${run.state}: ${run.trouble}`);
    const frames = bars * SECONDS_A_BAR * RATE;
    const at = `${running.address}/api/runs/${run.id}`;
    await pipeline(Readable.fromWeb((await fetch(`${at}/files/0`)).body as never), createWriteStream(taken));
    const { size } = statSync(taken);
    const file = openSync(taken, 'r');
    try {
      const head = Buffer.alloc(8192);
      readSync(file, head, 0, head.length, 0);
      const long = frames * FRAME > FOUR_GB - 8192;
      holds(head.toString('latin1', 0, 4) === (long ? 'RF64' : 'RIFF'), () => 'it is of the other kind');
      const data = head.indexOf('data') + 8;
      if (long) {
        const sizes = [20, 28, 36].map((from) => Number(head.readBigUInt64LE(from)));
        const right = [size - 8, frames * FRAME, frames];
        holds(sizes.join() === right.join(), () => `its sizes are ${sizes.join()}, not ${right.join()}`);
      }
      holds(size === data + frames * FRAME, () => `${size} bytes, not ${data + frames * FRAME}`);
      for (const { start } of notes) {
        const frame = (start / 960 / 2) * RATE;
        holds(notesAt(file, data, frame), () => `no note at frame ${frame}`);
      }
    } finally {
      closeSync(file);
    }
    const sha = await shaOf(taken);
    await pipeline(Readable.fromWeb((await fetch(`${at}/zip`)).body as never), createWriteStream(taken));
    const zipped = await inZip(taken);
    holds(zipped.size === size && zipped.sha === sha, () => 'what is in the zip is not the file');
    const peak = /VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${running.pid()}/status`, 'utf8'))?.[1];
    const memory = Math.round(Number(peak) / 1024);
    holds(memory < MOST_MEMORY_MB, () => `the server took ${memory} MB`);
    return { runs: 1, bytes: size, notes: notes.length, 'MB of memory': memory };
  } finally {
    rmSync(taken, { force: true });
    await running.end();
  }
}

export const large = (settings: Settings): Promise<Outcome> => search(settings, one);
