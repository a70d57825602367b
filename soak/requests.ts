/**
 * Mutated requests at every address of the server: none may be answered with 5xx or take longer than two seconds, the
 * server may not end or grow, the songs that were meant can be opened, and the others stay as they were.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { newSong, songSchema } from '../core/document/document';
import { USUAL_DELIVERY } from '../core/handover/delivery';
import type { Seeded } from '../core/random';
import { change } from '../core/song/changes';
import { header } from '../core/testing/arbitraries';
import { addSong, post, readSong, startServer, type Running } from '../harness/server';
import { steadyBeats, wavOfBeats } from '../harness/files';
import { brokenBytes, brokenValue } from './mutated';
import { holds, search, SLOWEST_MS, teller, type Counts, type Outcome, type Settings } from './search';

/** Number of requests in a run, at once. */
const IN_A_RUN = 1000;
const AT_ONCE = 8;
/** Runs on one desk; additions pile up within them. */
const RUNS_OF_A_DESK = 20;
/** Largest growth of the server's memory over a desk's runs, after the first. */
const MOST_GROWTH_MB = 200;

interface Route {
  readonly method: string;
  readonly path: string;
}

/** Routes from the folder's files: `[id]` is a parameter, the name ends in the method. */
function routesIn(folder: string, at = '/api'): Route[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry): Route[] => {
    if (entry.isDirectory()) return routesIn(join(folder, entry.name), `${at}/${entry.name}`);
    const [, name, method] = /^(.+)\.(get|post|put|patch|delete)\.ts$/.exec(entry.name) ?? [];
    if (!name || !method || at.endsWith('/feed') || name === 'feed') return [];
    return [{ method: method.toUpperCase(), path: name === 'index' ? at : `${at}/${name}` }];
  });
}

const ROUTES = routesIn(fileURLToPath(new URL('../server/api', import.meta.url)))
  // These routes replace the data that others are compared with.
  .filter(({ path }) => !path.endsWith('/restore'));
const SOUND = wavOfBeats('x', steadyBeats(120, 2), 0.2).buffer;

interface Desk {
  readonly running: Running;
  /** Song that the requests leave alone. */
  readonly other: string;
  readonly otherText: string;
  /** Song that the requests are about. */
  readonly song: string;
  /** Values of path parameters, by the path element before them. */
  readonly names: Readonly<Record<string, readonly string[]>>;
  readonly bodies: readonly unknown[];
  readonly slowestMs: number;
}

async function deskOf(running: Running, slowestMs: number): Promise<Desk> {
  const { address } = running;
  const other = await addSong(address);
  const song = await addSong(address);
  const { document } = await readSong(address, song);
  const jobs = (await (await fetch(`${address}/api/jobs`)).json()) as { id: string; songs: { id: string }[] }[];
  const jobId = jobs.find((j) => j.songs.some((s) => s.id === song))!.id;
  for (const id of ['layer-open', 'layer-closed']) {
    await post(address, '/api/layers', { songId: song, header: header({ id, partId: 'piano' }), mode: 'new take' });
  }
  const closing = { range: { from: 0, to: 1000 }, clears: [] };
  await post(address, '/api/layers/layer-closed/close', closing);
  const sent = await fetch(`${address}/api/audio`, { method: 'POST', body: Uint8Array.from(SOUND) });
  const { hash } = (await sent.json()) as { hash: string };
  const facts = { zero: 0, rate: 48_000, channels: 1, from: 'Line' };
  for (const id of ['recording-open', 'recording-closed'])
    await post(address, '/api/recordings', { songId: song, id, facts, by: null });
  await post(address, '/api/recordings/recording-closed/close', { songId: song });
  const { patches, inverse } = change(document, { type: 'set length', bars: 12 });
  return {
    ...{ running, other, song, slowestMs },
    otherText: JSON.stringify(await readSong(address, other)),
    names: {
      songs: [song],
      jobs: [jobId],
      layers: ['layer-open', 'layer-closed'],
      audio: [hash],
      recordings: ['recording-open', 'recording-closed'],
      pieces: ['1', '2'],
      chunks: ['1', '2'],
      kept: ['recipes', 'feels', 'deliveries', 'presets'],
      versions: ['1'],
    },
    bodies: [
      { title: 'Job' },
      { jobId, document: newSong('Lamps', 'piano'), layers: [] },
      { id: 'x', base: 0, after: null, kind: 'do', name: 'set length', patches, inverse },
      { songId: song, header: header({ id: 'another' }), mode: 'new take' },
      { events: [{ at: 1, message: { type: 'noteOn', key: 60, velocity: 80 } }] },
      { songId: song, id: 'recording-other', facts, by: 'x' },
      closing,
      { on: true, curve: { shape: 0, low: 1, high: 127 } },
      { name: 'Preset', value: document.brief },
      { name: 'Client', value: USUAL_DELIVERY },
      USUAL_DELIVERY,
      { way: 'beside' },
      { shelf: 'desk' },
    ],
  };
}

const STRANGE = ['none', 'x'.repeat(201), '%00', '..%2F..', '%E0%A4%A', '-1', '1e9', 'f'.repeat(64), '%F0%9F%8E%B9'];

/** Path with its parameters filled in, mostly with existing values. */
function addressed({ path }: Route, { names }: Desk, random: Seeded): string {
  const parts = path.split('/');
  return parts
    .map((part, i) => {
      if (!part.startsWith('[')) return part;
      const there = names[parts[i - 1]!];
      // Copies of copies would make an unrealistic desk.
      const often = path.endsWith('/copy') ? 0.05 : 0.6;
      return there && random.unit() < often ? random.pick(there) : random.pick(STRANGE);
    })
    .join('/');
}

function bodyOf({ bodies }: Desk, random: Seeded): string | Uint8Array<ArrayBuffer> {
  const good = random.pick(bodies);
  const how = random.unit();
  if (how < 0.7) return JSON.stringify(brokenValue(good, random)) ?? '';
  if (how < 0.75) return JSON.stringify(good);
  if (how < 0.9) return brokenBytes(Buffer.from(JSON.stringify(good)), random).toString('latin1');
  return Uint8Array.from(brokenBytes(SOUND, random));
}

const TYPES = ['application/json', 'application/json', 'text/plain', 'application/octet-stream', 'x'];
const RANGES = ['bytes=0-10', 'bytes=-5', 'bytes=999999-', 'bytes=5-1', 'lines=1-2', 'bytes=0-0,5-9'];

async function sent(desk: Desk, random: Seeded): Promise<number> {
  const route = random.pick(ROUTES);
  const path = addressed(route, desk, random);
  const body = route.method === 'GET' ? undefined : bodyOf(desk, random);
  const headers: Record<string, string> = { 'content-type': random.pick(TYPES) };
  if (random.unit() < 0.2) headers.range = random.pick(RANGES);
  const piece = path.includes('/pieces/') && random.unit() < 0.8;
  const strange = random.unit() < 0.1 ? `?before=${random.pick(STRANGE)}` : '';
  const query = piece ? `?frame=${random.pick(['0', '480', '-1', '1e15', 'x'])}` : strange;
  const began = performance.now();
  const said = (why: string) => `${route.method} ${path}${query} ${String(body ?? '').slice(0, 300)}: ${why}`;
  const answer = await fetch(`${desk.running.address}${path}${query}`, { method: route.method, headers, body }).catch(
    (error: unknown) => {
      throw new Error(said(String(error)));
    },
  );
  const text = await answer.text();
  const took = performance.now() - began;
  // A full disk is an acceptable fault; others are the server's.
  holds(answer.status < 500, () => said(`${answer.status} ${text.slice(0, 300)}`));
  holds(took < desk.slowestMs, () => said(`${Math.round(took)} ms`));
  holds(!/select .* from|insert into|SQLITE/i.test(text), () => said(`SQL in words: ${text.slice(0, 300)}`));
  return answer.status;
}

/** Resident memory of the server, in MB. */
function memoryOf({ pid }: Running): number {
  const [, kilobytes] = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid()}/status`, 'utf8')) ?? [];
  return Number(kilobytes) / 1024;
}

async function batch(desk: Desk, random: Seeded): Promise<Counts> {
  const { address } = desk.running;
  const counts = new Map<string, number>();
  let left = IN_A_RUN;
  const sender = async (): Promise<void> => {
    while (left > 0) {
      left -= 1;
      const status = String(await sent(desk, random));
      counts.set(status, (counts.get(status) ?? 0) + 1);
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, sender));
  songSchema.parse((await readSong(address, desk.song)).document);
  holds(JSON.stringify(await readSong(address, desk.other)) === desk.otherText, () => 'another song was changed');
  return Object.fromEntries(counts);
}

export async function brokenRequests({ runs, seed, slowestMs = SLOWEST_MS }: Settings): Promise<Outcome> {
  const counts = new Map<string, number>();
  const faults: string[] = [];
  const tell = teller();
  for (let done = 0; done < runs; done += RUNS_OF_A_DESK) {
    const running = await startServer();
    try {
      const desk = await deskOf(running, slowestMs);
      let first: number | null = null;
      const some = { runs: Math.min(RUNS_OF_A_DESK, runs - done), seed: seed + done };
      const found = await search(some, async (random) => {
        const got = await batch(desk, random);
        first ??= memoryOf(running);
        return got;
      });
      for (const [name, n] of Object.entries(found.counts)) counts.set(name, (counts.get(name) ?? 0) + n);
      faults.push(...found.faults);
      const growth = memoryOf(running) - (first ?? 0);
      counts.set('MB grown at most', Math.max(counts.get('MB grown at most') ?? 0, Math.round(growth)));
      if (growth > MOST_GROWTH_MB) faults.push(`SEED=${some.seed}: the server grew by ${Math.round(growth)} MB`);
    } finally {
      await running.end();
    }
    tell(Math.min(done + RUNS_OF_A_DESK, runs), runs, Object.fromEntries(counts), faults.length);
  }
  return { counts: Object.fromEntries(counts), faults };
}
