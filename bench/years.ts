import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { newSong } from '../core/document/document';
import { change, kindOf, nameOf, type Command } from '../core/song/changes';
import { header } from '../core/testing/arbitraries';
import type { LayerEvent } from '../core/takes/layer';
import { freePort, serve } from '../scripts/lib.mjs';
import { openDatabase } from '../server/store/database';
import { addJob } from '../server/store/jobs';
import { addChunk, closeLayer, openLayer } from '../server/store/layers';
import { addSong, changeSong } from '../server/store/songs';
import { quantile, under, type Figure } from './figure';
import { timesAsLong } from './opening';
import { sized } from './sizes';

const TAKES = sized(300, 10);
const EVENTS = 600;
const CHANGES = sized(5000, 50);
const TEMPOS = 200;

/** Song after years of work: many takes, tempo changes and settings. */
async function fill(folder: string): Promise<number> {
  const db = await openDatabase(folder);
  await addJob(db, { id: 'job', title: 'Marsh Light', client: '', due: null, notes: '' }, 'now');
  let song = { ...newSong('Lamps on the Causeway', 'piano'), bars: 200 };
  await addSong(db, 'empty', 'job', newSong('Empty', 'piano'));
  await addSong(db, 'old', 'job', song);
  let revision = 0;
  let longest = 0;
  const make = async (command: Command) => {
    const made = change(song, command);
    song = made.document;
    const { patches, inverse } = made;
    const began = performance.now();
    await changeSong(
      db,
      'old',
      {
        id: `c${revision}`,
        base: revision,
        after: null,
        kind: kindOf(command),
        name: nameOf(command),
        patches,
        inverse,
      },
      'now',
    );
    revision += 1;
    longest = performance.now() - began;
  };
  for (let take = 0; take < TAKES; take += 1) {
    const id = `layer ${take}`;
    const from = (take % 190) * 3840;
    const planned = { from, to: from + 8 * 3840 };
    const own = header({ id, partId: 'piano', passId: `p${take}`, takeId: `t${take}`, planned });
    const events = Array.from({ length: EVENTS }, (_, i): LayerEvent => {
      const at = from / 1920 + 0.02 * i;
      const key = 40 + ((i >> 1) % 40);
      return { at, message: i % 2 ? { type: 'noteOff', key, velocity: 64 } : { type: 'noteOn', key, velocity: 80 } };
    });
    const closing = { range: planned, clears: [] };
    await openLayer(db, 'old', own, 'new take');
    await addChunk(db, id, 1, events);
    await closeLayer(db, id, closing);
    const layers = [{ header: own, closing, notes: EVENTS / 2 }];
    await make({ type: 'record', at: 'now', result: { passId: `p${take}`, mode: 'new take', layers } });
  }
  for (let i = 0; i < TEMPOS; i += 1) {
    const tempo = [{ tick: 0, bpm: 100 + (i % 50) }];
    await make({ type: 'set tempo', retiming: { tempo, takes: 'recording' } });
  }
  while (revision < CHANGES) await make({ type: 'set part', part: 'piano', to: { gainDb: -(revision % 20) - 1 } });
  await db.destroy();
  return longest;
}

async function timed(work: () => Promise<unknown>, times = 5): Promise<number> {
  const took: number[] = [];
  for (let i = 0; i < times; i += 1) {
    const began = performance.now();
    await work();
    took.push(performance.now() - began);
  }
  return took.sort((a, b) => a - b)[times >> 1]!;
}

/** Time of the Desk after each of some changes of the old song. */
async function deskAfterChange(address: string): Promise<number> {
  const song = (await (await fetch(`${address}/api/songs/old`)).json()) as { revision: number };
  const level = (value: number) => [{ op: 'replace', path: ['parts', 0, 'gainDb'], value }];
  const took: number[] = [];
  for (let n = 0; n < 5; n += 1) {
    const body = {
      ...{ id: `level ${n}`, base: song.revision + n, after: null, kind: 'set', name: 'level' },
      ...{ patches: level(-n - 1), inverse: level(-n) },
    };
    const headers = { 'content-type': 'application/json' };
    const sent = await fetch(`${address}/api/songs/old/changes`, {
      method: 'POST',
      headers,
      body: JSON.stringify(body),
    });
    if (!sent.ok) throw new Error(`A change was answered with ${sent.status}.`);
    const began = performance.now();
    await (await fetch(`${address}/api/jobs`)).arrayBuffer();
    took.push(performance.now() - began);
  }
  return quantile(took, 0.5);
}

/** Peak memory of a process, in megabytes. */
const peakMemory = (pid: number): number =>
  Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? Number.NaN) / 1024;

export async function yearsFigures(): Promise<Figure[]> {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-years-'));
  try {
    const change = await fill(folder);
    const { child, address } = await serve(folder, await freePort(), { stdio: 'ignore' });
    try {
      const read = async (path: string) => (await fetch(`${address}${path}`)).arrayBuffer();
      const first = await timed(() => read('/api/jobs'), 1);
      const later = await timed(() => read('/api/jobs'));
      const bytes = (await read('/api/songs/old')).byteLength;
      const old = await timed(() => read('/api/songs/old'));
      await Promise.all(Array.from({ length: 10 }, () => read('/api/songs/old')));
      const peak = peakMemory(child.pid!);
      const openings = await timesAsLong(address, { id: 'old', says: 'Piano' }, 'empty');
      const afterChange = await deskAfterChange(address);
      return [
        under('years', '5000 changes, 300 takes, 180,000 events: one change at the server', change, 'ms', 15),
        under('years', 'the Desk after a change', afterChange / 1000, 's', 0.3),
        under('years', 'the Desk after a change and a start of the server', first / 1000, 's', 0.3),
        under('years', 'the Desk again', later / 1000, 's', 0.3),
        under('years', 'what the old song sends', bytes / 1e6, 'MB', 8),
        under('years', 'the server sends the old song', old / 1000, 's', 0.3),
        under('years', 'the old song opens, against an empty one', openings, 'times', 1.5),
        under('years', 'the server, after ten openings at once', peak, 'MB', 400),
      ];
    } finally {
      child.kill('SIGKILL');
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
