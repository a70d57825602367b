/**
 * Broken files through every reader: each is read, or refused in words, within two seconds; what was read of it, the
 * server takes and gives back. A broken archive brings only songs that can be opened.
 */
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { ZipFile } from 'yazl';
import { MANIFEST, type Manifest } from '../core/archive/archive';
import { songSchema } from '../core/document/document';
import { readFeel, writeFeel } from '../core/files/feelFile';
import { checkSound, HEAD_BYTES } from '../core/files/sound';
import { writeMidiFile } from '../core/files/smf';
import { DamagedFile } from '../core/files/damaged';
import { songFromScore } from '../core/import/fromScore';
import { songFromMidi } from '../core/import/fromMidi';
import { layerOfTrack, offerTake } from '../core/import/takeFromMidi';
import { SHIPPED_FEELS } from '../core/timing/feel';
import type { Seeded } from '../core/random';
import { midiFile, steadyBeats, wavOfBeats } from '../harness/files';
import { addSong, post, readSong, startServer } from '../harness/server';
import { openArchiveZip } from '../server/archive/zip';
import { brokenBytes, brokenValue } from './mutated';
import { holds, search, SLOWEST_MS, type Counts, type Outcome, type Settings } from './search';

const AT = '2026-01-05T09:00:00.000Z';

/** Runs a reader, which may refuse in words, within the time limit. */
function read<T>({ slowestMs }: Desk, work: () => T): T | null {
  const began = performance.now();
  let outcome: T | null = null;
  try {
    outcome = work();
  } catch (error) {
    if (!(error instanceof DamagedFile)) throw error;
    holds(error.message.length > 10, () => `refused without words: "${error.message}"`);
  }
  const took = performance.now() - began;
  holds(took < slowestMs, () => `reading took ${Math.round(took)} ms`);
  return outcome;
}

interface Desk {
  readonly address: string;
  readonly jobId: string;
  readonly songId: string;
  readonly archive: ReadonlyMap<string, Buffer>;
  readonly zipped: Buffer;
  /** Job of the archive. */
  readonly own: string;
  readonly slowestMs: number;
}

const scoreText = readFileSync(fileURLToPath(new URL('score.xml', import.meta.url)));
const midi = midiFile('x.mid').buffer;
const feel = Buffer.from(writeFeel(SHIPPED_FEELS[0]!));
const sound = wavOfBeats('x.wav', steadyBeats(120, 2), 0.4).buffer;

let ids = 0;
const newId = (): string => `made-${(ids += 1)}`;

/** The server accepts what was read, and returns it. */
async function taken({ address, jobId }: Desk, document: unknown, layers: readonly unknown[]): Promise<void> {
  const { id } = await post<{ id: string }>(address, '/api/songs', { jobId, document, layers });
  const song = await readSong(address, id);
  holds(JSON.stringify(song.document) === JSON.stringify(document), () => 'the song came back another');
  holds(song.layers.length === layers.length, () => `${song.layers.length} layers of ${layers.length}`);
  await fetch(`${address}/api/songs/${id}`, {
    method: 'PATCH',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ shelf: 'deleted' }),
  });
}

async function brokenMidi(desk: Desk, random: Seeded): Promise<Counts> {
  const bytes = Uint8Array.from(brokenBytes(midi, random));
  const song = read(desk, () => songFromMidi(bytes, 'x.mid', newId, AT));
  const offered = read(desk, () => offerTake(bytes, 'x.mid', { name: 'Piano' }));
  if (offered) {
    const { document } = await readSong(desk.address, desk.songId);
    for (const { track } of offered.tracks)
      read(desk, () => layerOfTrack(offered, track, document.parts[0]!, document, newId, AT));
    writeMidiFile(offered.file);
  }
  if (song)
    await taken(
      desk,
      song.document,
      song.layers.map((l) => ({ ...l, mode: 'new take' })),
    );
  return { 'MIDI files': 1, ...(song ? { 'MIDI files read': 1 } : {}) };
}

async function brokenScore(desk: Desk, random: Seeded): Promise<Counts> {
  const made = read(desk, () => songFromScore(brokenBytes(scoreText, random).toString('utf8'), 'x.musicxml', newId));
  if (made) await taken(desk, made.document, []);
  return { scores: 1, ...(made ? { 'scores read': 1 } : {}) };
}

async function brokenFeel(desk: Desk, random: Seeded): Promise<Counts> {
  const made = read(desk, () => readFeel(Uint8Array.from(brokenBytes(feel, random)), 'x.mid'));
  return { feels: 1, ...(made ? { 'feels read': 1 } : {}) };
}

/** Sends bytes; the answer has to come in time, and must not be a fault of the server. */
async function send(
  { address, slowestMs }: Desk,
  path: string,
  body: Uint8Array,
): Promise<{ status: number; text: string }> {
  const began = performance.now();
  const answer = await fetch(`${address}${path}`, { method: 'POST', body: Uint8Array.from(body) });
  const text = await answer.text();
  const took = performance.now() - began;
  holds(answer.status < 500, () => `${path}: ${answer.status} ${text.slice(0, 200)}`);
  holds(took < slowestMs, () => `${path}: ${Math.round(took)} ms`);
  return { status: answer.status, text };
}

async function brokenSound(desk: Desk, random: Seeded): Promise<Counts> {
  const bytes = brokenBytes(sound, random);
  const here = read(desk, () => checkSound(Uint8Array.from(bytes.subarray(0, HEAD_BYTES)), bytes.length));
  const { status } = await send(desk, '/api/audio', bytes);
  holds((here !== null) === (status === 200), () => `the page says ${here}, the server ${status}`);
  return { sounds: 1, ...(here ? { 'sounds read': 1 } : {}) };
}

async function zippedOf(files: ReadonlyMap<string, Buffer>): Promise<Buffer> {
  const zip = new ZipFile();
  for (const [name, bytes] of files) zip.addBuffer(bytes, name);
  zip.end();
  return buffer(zip.outputStream as unknown as Readable);
}

/** Changes one of an archive's files, and its checksum in the list. */
function rewritten(archive: Desk['archive'], random: Seeded): ReadonlyMap<string, Buffer> {
  const names = [...archive.keys()].filter((name) => /\.jsonl?$/.test(name) && archive.get(name)!.length > 0);
  const name = random.pick(names);
  const text = archive.get(name)!.toString('utf8');
  const lines = name.endsWith('l') ? text.split('\n').filter(Boolean) : [text];
  const at = random.integer(0, lines.length - 1);
  const broken = brokenValue(JSON.parse(lines[at]!), random);
  const bytes = Buffer.from(lines.with(at, JSON.stringify(broken) ?? '').join('\n'));
  const files = new Map(archive).set(name, bytes);
  if (name === MANIFEST) return files;
  const manifest = JSON.parse(archive.get(MANIFEST)!.toString('utf8')) as Manifest;
  const entry = {
    ...manifest.files[name],
    bytes: bytes.length,
    sha256: createHash('sha256').update(bytes).digest('hex'),
  };
  return files.set(MANIFEST, Buffer.from(JSON.stringify({ ...manifest, files: { ...manifest.files, [name]: entry } })));
}

async function brokenArchive(desk: Desk, random: Seeded): Promise<Counts> {
  const { address, archive, zipped, own } = desk;
  const bytes = random.unit() < 0.3 ? brokenBytes(zipped, random) : await zippedOf(rewritten(archive, random));
  const looked = await send(desk, '/api/archives', bytes);
  const counts = { archives: 1 };
  if (looked.status !== 200) return counts;
  const { id } = JSON.parse(looked.text) as { id: string };
  const answer = await fetch(`${address}/api/archives/${id}/bring`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ way: random.unit() < 0.8 ? 'beside' : 'merge' }),
  });
  const text = await answer.text();
  holds(answer.ok, () => `bring: ${answer.status} ${text.slice(0, 200)}`);
  const { jobId, came } = JSON.parse(text) as { jobId: string; came: string[] };
  const jobs = (await (await fetch(`${address}/api/jobs`)).json()) as {
    id: string;
    songs: { id: string; unreadable?: unknown }[];
  }[];
  const job = jobs.find((j) => j.id === jobId);
  holds(job !== undefined, () => 'the job is not on the desk');
  for (const song of job.songs) {
    const { document } = await readSong(address, song.id);
    songSchema.parse(document);
  }
  if (jobId !== own)
    await fetch(`${address}/api/jobs/${jobId}`, {
      method: 'PATCH',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ shelf: 'deleted' }),
    });
  return { ...counts, 'archives brought in': 1, 'songs of them': came.length };
}

const KINDS = [brokenMidi, brokenMidi, brokenScore, brokenFeel, brokenSound, brokenArchive] as const;

async function deskOf(address: string, slowestMs: number): Promise<Desk> {
  const songId = await addSong(address);
  const jobs = (await (await fetch(`${address}/api/jobs`)).json()) as { id: string; title: string }[];
  const job = jobs.find((j) => j.title !== 'Trial')!;
  const whole = Buffer.from(await (await fetch(`${address}/api/jobs/${job.id}/archive`)).arrayBuffer());
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-files-'));
  const path = join(folder, 'x.zip');
  writeFileSync(path, whole);
  const zip = await openArchiveZip(path, async () => undefined);
  // Without its sounds, which have searches of their own.
  const archive = new Map<string, Buffer>();
  for (const [name, entry] of zip.entries)
    if (!name.startsWith('audio/')) archive.set(name, await buffer(await entry.open()));
  zip.close();
  rmSync(folder, { recursive: true });
  return {
    address,
    jobId: jobs.find((j) => j.title === 'Trial')!.id,
    songId,
    archive,
    zipped: await zippedOf(archive),
    own: job.id,
    slowestMs,
  };
}

export async function brokenFiles(settings: Settings): Promise<Outcome> {
  const running = await startServer(true);
  try {
    const desk = await deskOf(running.address, settings.slowestMs ?? SLOWEST_MS);
    return await search(settings, (random) => random.pick(KINDS)(desk, random), 4);
  } finally {
    await running.end();
  }
}
