import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, truncateSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WaveFile } from 'wavefile';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { newSong } from '../../core/document/document';
import { header } from '../../core/testing/arbitraries';
import { FRESH } from '../../core/vocabulary/limits';
import { audioFile } from './audio';
import { diskUse } from './diskUse';
import { openDatabase, type Database } from './database';
import { addJob } from './jobs';
import { openLayer } from './layers';
import {
  addPiece,
  closeRecording,
  openRecording,
  openRecordingsOf,
  recordingsNamed,
  recordingsOf,
  recordingsOfSong,
} from './recordings';
import { addSong } from './songs';

let folder: string;
let db: Database;
const FACTS = { zero: -3.5, rate: 48_000, channels: 2, from: 'Line in' };
const START = Date.parse('2026-01-01T00:00:00.000Z');

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-recordings-'));
  db = await openDatabase(folder);
  await addJob(db, { id: 'job', title: 'A job', client: '', due: null, notes: '' }, new Date(START).toISOString());
  await addSong(db, 'song', 'job', newSong('Lamps', 'piano'));
});
afterEach(async () => {
  await db.destroy();
  rmSync(folder, { recursive: true, force: true });
});

/** Frames of both sides, each with its own number in it. */
const piece = (from: number, count: number): Uint8Array => {
  const samples = Float32Array.from({ length: count * 2 }, (_, i) => (from + (i >> 1)) * (i % 2 ? -1e-6 : 1e-6));
  return new Uint8Array(samples.buffer);
};
const open = (id = 'one', by: string | null = 'me') =>
  openRecording(db, 'song', id, FACTS, by, new Date(START).toISOString(), START);
const add = (sequence: number, frame: number, bytes: Uint8Array, now = START) =>
  addPiece(db, folder, 'one', sequence, frame, bytes, now);
const close = (by: string | null = 'me', now = START, last: number | null = null) =>
  closeRecording(db, folder, 'one', { by, last, now });
const layers = [{ header: header({ sound: { recording: 'one', input: 0, frame: 0 } }) }];

describe('a recording', () => {
  it('becomes a sound file that another reader reads, sample for sample, silent where a piece is missing', async () => {
    expect(await open()).toBe('open');
    expect(await open()).toBe('open');
    expect(await add(1, 96_000, piece(0, 1000))).toBe('kept');
    expect(await add(2, 97_000, piece(1000, 500))).toBe('kept');
    expect(await add(4, 98_000, piece(2000, 500))).toBe('kept');
    expect(await recordingsOf(db, layers, [])).toEqual([]);
    expect(await close()).toBe('closed');
    const [made] = await recordingsOf(db, layers, []);
    expect(made).toMatchObject({ ...FACTS, id: 'one', first: 96_000, frames: 2500 });
    const { path } = (await audioFile(db, folder, made!.audio))!;
    const bytes = readFileSync(path);
    expect(createHash('sha256').update(bytes).digest('hex')).toBe(made!.audio);
    const wav = new WaveFile(bytes);
    const [left, right] = wav.getSamples(false, Float32Array as never) as unknown as Float32Array[];
    expect(left).toHaveLength(2500);
    const expected = (i: number) => (i >= 1500 && i < 2000 ? 0 : Math.fround(i * 1e-6));
    for (const i of [0, 1, 999, 1000, 1499, 1500, 1999, 2000, 2499]) {
      expect(left![i]).toBe(expected(i));
      expect(right![i]).toBeCloseTo(-expected(i), 12);
    }
    expect(existsSync(join(folder, 'recordings', 'one.f32'))).toBe(false);
    expect(await close()).toBe('closed');
    expect((await recordingsOf(db, layers, []))[0]).toEqual(made);
  });

  it('takes a piece once, whatever comes twice, and no other in its place', async () => {
    await open();
    await add(1, 100, piece(0, 10));
    expect(await add(1, 100, piece(0, 10))).toBe('kept');
    expect(await add(1, 100, piece(5, 10))).toBe('other');
    expect(await add(1, 101, piece(0, 10))).toBe('other');
    expect(await add(2, 90, piece(0, 10))).toBe('out of place');
    expect(await add(2, 2 ** 39, piece(0, 10))).toBe('out of place');
    expect(await add(2, 110, piece(0, 10).subarray(0, 79))).toBe('out of place');
    expect(await add(2, 110, new Uint8Array())).toBe('out of place');
    await close('me', START, 1);
    expect(await add(1, 100, piece(0, 10))).toBe('kept');
    expect(await add(2, 110, piece(0, 10))).toBe('closed');
    expect(await addPiece(db, folder, 'none', 1, 0, piece(0, 1), START)).toBe('unknown');
  });

  it('is closed by nobody else while it is fed, and by anybody once it is not', async () => {
    await open();
    await add(1, 0, piece(0, 10), START + 1000);
    expect(await close('another', START + 1000 + FRESH - 1)).toBe('recorded');
    expect(await close('another', START + 1000 + FRESH)).toBe('closed');
    expect(await closeRecording(db, folder, 'none', { by: 'me', last: null, now: START })).toBe('unknown');
  });

  it('that is closed by several at once is closed once, and whole', async () => {
    await open();
    for (let i = 0; i < 40; i += 1) await add(i, i * 1000, piece(i * 1000, 1000));
    expect(new Set(await Promise.all(Array.from({ length: 6 }, () => close())))).toEqual(new Set(['closed']));
    expect(await close()).toBe('closed');
    expect(await recordingsOf(db, layers, [])).toMatchObject([{ first: 0, frames: 40_000 }]);
  });

  it('that was closed in its maker’s absence takes what still comes, and is whole after it', async () => {
    await open();
    await add(1, 0, piece(0, 1000));
    expect(await close('another', START + FRESH)).toBe('closed');
    const [before] = await recordingsOf(db, layers, []);
    expect(before?.frames).toBe(1000);
    expect(await add(2, 1000, piece(1000, 500))).toBe('kept');
    // Until it is closed again it sounds as far as it did.
    expect(await recordingsOf(db, layers, [])).toEqual([before]);
    expect((await openRecordingsOf(db, 'song', START + FRESH)).map((r) => [r.id, r.end])).toEqual([['one', 1500]]);
    expect(await close('me', START + FRESH, 3)).toBe('closed');
    // The last one is on its way still; nobody closes it once more after that.
    expect(await add(3, 1500, piece(1500, 500))).toBe('kept');
    expect(await add(4, 2000, piece(2000, 500))).toBe('closed');
    const [made] = await recordingsOf(db, layers, []);
    expect(made?.frames).toBe(2000);
    expect(await openRecordingsOf(db, 'song')).toEqual([]);
    const wav = new WaveFile(readFileSync((await audioFile(db, folder, made!.audio))!.path));
    const [left] = wav.getSamples(false, Float32Array as never) as unknown as Float32Array[];
    expect(Array.from(left!)).toEqual(Array.from({ length: 2000 }, (_, i) => Math.fround(i * 1e-6)));
  });

  it('of which nothing came is closed, and is none', async () => {
    await open();
    expect(await close()).toBe('closed');
    expect(await recordingsOf(db, layers, [])).toEqual([]);
  });

  it('has what is left of it where the disk has lost some', async () => {
    await open();
    await add(1, 0, piece(0, 1000));
    truncateSync(join(folder, 'recordings', 'one.f32'), 800 * 8);
    await close();
    expect((await recordingsOf(db, layers, []))[0]?.frames).toBe(800);
  });

  it('has one name: another song’s, or one with other facts, is another', async () => {
    await addSong(db, 'other', 'job', newSong('Sails', 'piano'));
    await open();
    expect(await openRecording(db, 'other', 'one', FACTS, 'me', '')).toBe('other');
    expect(await openRecording(db, 'song', 'one', { ...FACTS, rate: 44_100 }, 'me', '')).toBe('other');
  });

  it('is found by a part whose line was sounded again in it, and by its name', async () => {
    await open();
    await add(1, 0, piece(0, 10));
    await close();
    const again = { id: 'a', recording: 'one', input: 0, first: 1, bars: [{ at: 0, sign: 'x' }], at: '' };
    expect((await recordingsOf(db, [], [{ parts: [{ soundedAgain: [again] }] }])).map((r) => r.id)).toEqual(['one']);
    expect(await recordingsOf(db, [], [{ parts: [{ soundedAgain: [] }] }])).toEqual([]);
    expect((await recordingsNamed(db, ['none', 'one', 'one'])).map((r) => r.id)).toEqual(['one']);
    // A copy of the song has it too, and the song that it was made for has it still when undo has taken it back.
    const song = newSong('Sails', 'piano');
    const parts = song.parts.map((p) => ({ ...p, soundedAgain: [again] }));
    await addSong(db, 'other', 'job', { ...song, parts });
    for (const id of ['song', 'other']) expect((await recordingsOfSong(db, id)).map((r) => r.id)).toEqual(['one']);
  });

  it('is not among what nothing mentions, and is found by the song whose layers have it', async () => {
    await open();
    await add(1, 0, piece(0, 10));
    await close();
    await openLayer(db, 'song', layers[0]!.header, 'new take');
    expect((await recordingsOfSong(db, 'song')).map((r) => r.id)).toEqual(['one']);
    const { audio, unused } = await diskUse(db, folder);
    expect([audio.files, unused.files]).toEqual([1, 0]);
  });
});
