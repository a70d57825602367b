/**
 * The server killed at a random moment under load: what it had acknowledged is there when it is back, what it had not
 * is whole or not at all, and each song is what its history makes of it.
 */
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import Sqlite from 'libsql';
import { newSong, type SongDocument } from '../core/document/document';
import type { Seeded } from '../core/random';
import type { LayerClosing, LayerEvent } from '../core/takes/layer';
import { change, type Command } from '../core/song/changes';
import { patched, type Patch } from '../core/song/history';
import { header } from '../core/testing/arbitraries';
import { steadyBeats, wavOfBeats } from '../harness/files';
import { addSong, readSong, startServer, type Running } from '../harness/server';
import { holds, pause, search, type Counts, type Outcome, type Settings } from './search';

/** Error of a request to a dead server. */
class Dead extends Error {}

interface Server {
  readonly address: string;
  /** True once the kill was sent: a missing answer is no fault then. */
  dying: boolean;
}

/** Sends a request that has to be acknowledged. @throws Dead */
async function sent(server: Server, method: string, path: string, body: unknown): Promise<unknown> {
  const isBytes = body instanceof Buffer;
  const answer = await fetch(`${server.address}${path}`, {
    method,
    headers: { 'content-type': isBytes ? 'application/octet-stream' : 'application/json' },
    body: isBytes ? Uint8Array.from(body) : JSON.stringify(body),
  }).catch((error: unknown) => {
    if (server.dying) throw new Dead();
    throw error;
  });
  const text = await answer.text().catch(() => {
    throw new Dead();
  });
  holds(answer.ok, () => `${method} ${path}: ${answer.status} ${text.slice(0, 200)}`);
  return text ? JSON.parse(text) : null;
}

interface SentLayer {
  readonly id: string;
  readonly acknowledged: LayerEvent[];
  /** Requests under way when the server died. */
  doubtful: readonly LayerEvent[];
  closed: LayerClosing | null;
}

/** Records layers in small chunks, as passes do. */
async function record(server: Server, random: Seeded, songId: string, layers: SentLayer[]): Promise<never> {
  for (;;) {
    const layer: SentLayer = { id: randomUUID(), acknowledged: [], doubtful: [], closed: null };
    await sent(server, 'POST', '/api/layers', {
      songId,
      header: header({ id: layer.id, partId: 'piano', passId: randomUUID() }),
      mode: 'new take',
    });
    layers.push(layer);
    const chunks = random.integer(1, 12);
    for (let sequence = 1; sequence <= chunks; sequence += 1) {
      const events = Array.from({ length: random.integer(1, 30) }, (_, i): LayerEvent => ({
        at: sequence + i / 100,
        message: { type: 'noteOn', key: random.integer(21, 108), velocity: random.integer(1, 127) },
      }));
      layer.doubtful = events;
      await sent(server, 'PUT', `/api/layers/${layer.id}/chunks/${sequence}`, { events });
      layer.doubtful = [];
      layer.acknowledged.push(...events);
    }
    const closing: LayerClosing = { range: { from: 0, to: random.integer(1, 40_000) }, clears: [] };
    await sent(server, 'POST', `/api/layers/${layer.id}/close`, closing);
    layer.closed = closing;
  }
}

interface Changed {
  readonly songId: string;
  /** Document before the first change. */
  readonly began: SongDocument;
  /** Document after the last acknowledged change. */
  document: SongDocument;
  revision: number;
}

const MOST_PARTS = 12;
const anyCommand = (random: Seeded, { parts }: SongDocument): Command =>
  random.pick<() => Command>([
    () => ({ type: 'set length', bars: random.integer(1, 200) }),
    () => ({ type: 'set part', part: 'piano', to: { gainDb: -random.integer(0, 300) / 10 } }),
    () =>
      parts.length < MOST_PARTS
        ? { type: 'add part', part: { id: randomUUID(), name: `Part ${random.integer(1, 99)}` } }
        : { type: 'set part', part: 'piano', to: { name: `Part ${random.integer(1, 99)}` } },
  ])();

async function changeOn(server: Server, random: Seeded, changed: Changed): Promise<never> {
  for (;;) {
    const { document, patches, inverse } = change(changed.document, anyCommand(random, changed.document));
    const base = changed.revision;
    await sent(server, 'POST', `/api/songs/${changed.songId}/changes`, {
      ...{ id: randomUUID(), base, after: null, kind: 'do', name: 'x', patches, inverse },
    });
    changed.document = document;
    changed.revision = base + 1;
  }
}

async function upload(server: Server, random: Seeded, files: Map<string, Buffer>): Promise<never> {
  for (;;) {
    const { buffer } = wavOfBeats('x', steadyBeats(random.integer(60, 180), 4), 0.5 + random.unit());
    const { hash } = (await sent(server, 'POST', '/api/audio', buffer)) as { hash: string };
    files.set(hash, buffer);
  }
}

/** Document that results from a song's history and its first state. */
function replayed(folder: string, songId: string, began: SongDocument): SongDocument {
  const database = new Sqlite(join(folder, 'tall-kettle.sqlite'), { readonly: true });
  const rows = database.prepare('select patches from song_changes where song_id = ? order by revision').all(songId) as {
    patches: string;
  }[];
  database.close();
  return rows.reduce((document, { patches }) => patched(document, JSON.parse(patches) as Patch[]), began);
}

const textOf = (value: unknown): string => JSON.stringify(value);

async function checkLayers(address: string, songId: string, layers: readonly SentLayer[]): Promise<void> {
  const there = new Map((await readSong(address, songId)).layers.map((l) => [l.header.id, l]));
  for (const { id, acknowledged, doubtful, closed } of layers) {
    const found = there.get(id);
    holds(found !== undefined, () => `layer ${id} is gone`);
    const texts = [acknowledged, [...acknowledged, ...doubtful]].map(textOf);
    holds(texts.includes(textOf(found.events)), () => `layer ${id}: ${acknowledged.length} acknowledged, not those`);
    if (closed) holds(textOf(found.closing) === textOf(closed), () => `layer ${id} is not closed as it was`);
  }
}

async function checkSong({ address, folder }: Running, changed: Changed): Promise<void> {
  const { songId, began, document, revision } = changed;
  const song = await readSong(address, songId);
  holds(song.revision === revision || song.revision === revision + 1, () => `revision ${song.revision}, ${revision}`);
  if (song.revision === revision)
    holds(textOf(song.document) === textOf(document), () => 'the song is not as it was acknowledged');
  holds(textOf(song.document) === textOf(replayed(folder, songId, began)), () => 'the song is not what its history is');
}

async function checkFiles(address: string, files: ReadonlyMap<string, Buffer>): Promise<void> {
  for (const [hash, bytes] of files) {
    const answer = await fetch(`${address}/api/audio/${hash}`);
    const got = Buffer.from(await answer.arrayBuffer());
    holds(
      answer.ok && got.equals(bytes),
      () => `file ${hash}: ${answer.status}, ${got.length} of ${bytes.length} bytes`,
    );
  }
}

async function one(running: Running, random: Seeded): Promise<Counts> {
  const { address } = running;
  const songs = await Promise.all([0, 1, 2].map(() => addSong(address, newSong('Lamps', 'piano'))));
  const changed = await Promise.all(
    songs.map(async (songId): Promise<Changed> => {
      const { document, revision } = await readSong(address, songId);
      return { songId, began: document, document, revision };
    }),
  );
  const layers: SentLayer[][] = songs.map(() => []);
  const files = new Map<string, Buffer>();
  const server: Server = { address, dying: false };
  const load = Promise.allSettled([
    ...songs.map((id, i) => record(server, random, id, layers[i]!)),
    ...changed.map((c) => changeOn(server, random, c)),
    upload(server, random, files),
  ]);
  await pause(random.integer(100, 1500));
  server.dying = true;
  await running.kill();
  const ends = await load;
  await running.restart();
  for (const end of ends) if (end.status === 'rejected' && !(end.reason instanceof Dead)) throw end.reason as Error;
  for (const [i, id] of songs.entries()) await checkLayers(address, id, layers[i]!);
  for (const c of changed) await checkSong(running, c);
  await checkFiles(address, files);
  const all = layers.flat();
  return {
    kills: 1,
    events: all.reduce((n, l) => n + l.acknowledged.length, 0),
    closings: all.filter((l) => l.closed).length,
    changes: changed.reduce((n, c) => n + c.revision, 0),
    uploads: files.size,
  };
}

export async function serverKills(settings: Settings): Promise<Outcome> {
  const running = await startServer();
  try {
    return await search(settings, (random) => one(running, random));
  } finally {
    await running.end();
  }
}
