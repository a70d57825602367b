import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ChildProcess } from 'node:child_process';
import { meterMap } from '../core/time/meter';
import { newSong, type SongDocument } from '../core/document/document';
import { unpacked } from '../core/takes/packed';
import type { OpenedSong, SentSong } from './types';
import { fillDemo, freePort, serve } from '../scripts/lib.mjs';

export interface Running {
  readonly address: string;
  readonly folder: string;
  readonly port: number;
  /** Process of the server. */
  readonly pid: () => number;
  /** Kills the server as by a crash. */
  readonly kill: () => Promise<void>;
  /** Starts it again on the same folder and port. */
  readonly restart: () => Promise<void>;
  /** Stops it and deletes its folder. */
  readonly end: () => Promise<void>;
}

const gone = (child: ChildProcess): Promise<void> =>
  new Promise((done) => {
    if (child.exitCode !== null || child.signalCode !== null) done();
    else {
      child.once('exit', () => done());
      child.kill('SIGKILL');
    }
  });

/** Built server on a folder of its own. @param within parent folder */
export async function startServer(demo = false, within = tmpdir()): Promise<Running> {
  const folder = mkdtempSync(join(within, 'tall-kettle-'));
  // Made once for all tests (`demo.ts`) where they run together; otherwise made here.
  const made = process.env.TALL_KETTLE_DEMO;
  if (demo && made) cpSync(made, folder, { recursive: true });
  else if (demo && fillDemo(folder) !== 0) throw new Error('The demo data could not be made.');
  const port = await freePort();
  let { child, address } = await serve(folder, port, { stdio: 'ignore' });
  const kill = () => gone(child);
  return {
    address,
    folder,
    port,
    pid: () => child.pid!,
    kill,
    async restart() {
      ({ child, address } = await serve(folder, port, { stdio: 'ignore' }));
    },
    async end() {
      await kill();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

export async function post<T>(address: string, path: string, body: unknown): Promise<T> {
  const response = await fetch(`${address}${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
  return (await response.json()) as T;
}

export async function put(address: string, path: string, body: unknown): Promise<void> {
  const response = await fetch(`${address}${path}`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
}

/** Sets a keyboard's stored settings. */
export const putDevice = (address: string, port: string, settings: unknown): Promise<void> =>
  put(address, `/api/devices/${encodeURIComponent(port)}`, settings);

/** Adds a job with one song. @returns the song's id */
export async function addSong(address: string, over: Partial<SongDocument> = {}): Promise<string> {
  const job = await post<{ id: string }>(address, '/api/jobs', { title: 'Trial' });
  const document = { ...newSong('Trial song', 'piano'), ...over };
  return (await post<{ id: string }>(address, '/api/songs', { jobId: job.id, document })).id;
}

export const fourFour = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

/** Song as the server has it. */
export async function readSong(address: string, id: string): Promise<OpenedSong> {
  const sent = (await (await fetch(`${address}/api/songs/${id}`)).json()) as SentSong;
  return { ...sent, layers: sent.layers.map(unpacked) };
}

/** Waits for a condition, tested five times a second. */
export async function until<T>(what: () => Promise<T | undefined | false>, within = 90_000): Promise<T> {
  const deadline = Date.now() + within;
  for (;;) {
    const found = await what();
    if (found) return found;
    if (Date.now() > deadline) throw new Error(`Waited ${within} ms for ${what.toString().slice(0, 120)}`);
    await new Promise((wait) => setTimeout(wait, 200));
  }
}
