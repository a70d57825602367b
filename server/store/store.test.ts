import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { change } from '../../core/song/changes';
import { newSong } from '../../core/song/document';
import { header } from '../../core/testing/arbitraries';
import type { LayerEvent } from '../../core/takes/layer';
import { addAudio, readAudio } from './audio';
import { openDatabase, type Database } from './database';
import { readDevices, setDevice } from './devices';
import { addJob, readJobs } from './jobs';
import { addChunk, closeLayer, openLayer, readLayers } from './layers';
import { addSong, changeSong, readSong, songText, type NewChange } from './songs';
import type { HistoryRow } from '../../core/song/changes';

let folder: string;
let db: Database;
const song = newSong('Lamps', 'piano');
const NOW = '2026-01-01T00:00:00.000Z';
const readHistory = async (of: Database, id: string): Promise<HistoryRow[]> =>
  (JSON.parse(`{${(await songText(of, id))!.fields}}`) as { history: HistoryRow[] }).history;
const event = (at: number, key = 60): LayerEvent => ({ at, message: { type: 'noteOn', key, velocity: 80 } });

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-store-'));
  db = await openDatabase(folder);
  await addJob(db, { id: 'job', title: 'A job', client: '', due: null }, NOW);
  await addSong(db, 'song', 'job', song);
});
afterEach(async () => {
  await db.destroy();
  rmSync(folder, { recursive: true, force: true });
});

const changeOf = (base: number, bars: number): NewChange => {
  const { patches, inverse } = change(song, { type: 'set brief', brief: { countOffBars: bars } });
  return { base, kind: 'set', name: 'set brief', patches, inverse };
};

describe('the database', () => {
  it('writes through a log, in full, and holds its references', async () => {
    const pragma = async (name: string) => Object.values((await db.raw(`PRAGMA ${name}`) as object[])[0]!)[0];
    expect([await pragma('journal_mode'), await pragma('synchronous'), await pragma('foreign_keys')]).toEqual(['wal', 2, 1]);
    await expect(addSong(db, 'lost', 'no such job', song)).rejects.toThrow();
  });

  it('is opened again as it was left', async () => {
    await db.destroy();
    db = await openDatabase(folder);
    expect((await readSong(db, 'song'))?.document).toEqual(song);
  });
});

describe('a stored song', () => {
  it('takes a change on its own revision, and remembers how to undo it', async () => {
    expect(await changeSong(db, 'song', changeOf(0, 3), NOW)).toEqual({ type: 'changed', revision: 1 });
    expect((await readSong(db, 'song'))?.document.brief.countOffBars).toBe(3);
    expect(await readHistory(db, 'song')).toMatchObject([{ revision: 1, kind: 'set', name: 'set brief' }]);
  });

  it('answers a stale change with the newer song, and is not overwritten', async () => {
    await changeSong(db, 'song', changeOf(0, 3), NOW);
    expect(await changeSong(db, 'song', changeOf(0, 4), NOW)).toMatchObject({ type: 'stale', song: { revision: 1 } });
    expect((await readSong(db, 'song'))?.document.brief.countOffBars).toBe(3);
  });

  it('is left alone by a change that would break it', async () => {
    const bad: NewChange = { ...changeOf(0, 3), patches: [{ op: 'replace', path: ['bars'], value: 'many' }] };
    await expect(changeSong(db, 'song', bad, NOW)).rejects.toThrow();
    expect(await readSong(db, 'song')).toMatchObject({ revision: 0 });
    expect(await readHistory(db, 'song')).toEqual([]);
  });

  it('is not known by another name', async () => {
    expect(await readSong(db, 'other')).toBeUndefined();
    expect(await changeSong(db, 'other', changeOf(0, 3), NOW)).toEqual({ type: 'unknown' });
  });
});

describe('a stored layer', () => {
  const read = async () => (await readLayers(db, 'song'))[0]!;
  beforeEach(() => openLayer(db, 'song', header(), 'new take'));

  it('is its numbered chunks in order, however often and in whatever order they were sent', async () => {
    for (const [n, at] of [[2, 20], [1, 10], [10, 100], [1, 10], [2, 99]] as const) await addChunk(db, 'layer', n, [event(at)]);
    expect((await read()).events.map((e) => e.at)).toEqual([10, 20, 100]);
  });

  it('takes no more once it is closed, and is closed once', async () => {
    await addChunk(db, 'layer', 1, [event(1)]);
    await closeLayer(db, 'layer', { range: { from: 0, to: 960 }, clears: [] });
    await closeLayer(db, 'layer', { range: { from: 0, to: 5 }, clears: [] });
    expect(await addChunk(db, 'layer', 2, [event(2)])).toBe('closed');
    expect(await addChunk(db, 'layer', 1, [event(1)])).toBe('kept');
    expect(await read()).toMatchObject({ closing: { range: { from: 0, to: 960 } }, events: [{ at: 1 }] });
  });

  it('may be opened twice, and takes nothing when it was never opened', async () => {
    await openLayer(db, 'song', header({ from: 'another' }), 'merge');
    expect((await read()).header.from).toBe('Bench keyboard');
    expect(await addChunk(db, 'none', 1, [])).toBe('unknown');
  });
});

describe('stored audio', () => {
  it('lies once under its content, whole', async () => {
    const bytes = Uint8Array.from([1, 2, 3]);
    const hash = await addAudio(db, folder, bytes, 'audio/wav');
    expect(await addAudio(db, folder, bytes, 'audio/wav')).toBe(hash);
    expect(readdirSync(join(folder, 'audio'))).toEqual([hash]);
    const found = await readAudio(db, folder, hash);
    expect([found?.length, found?.type]).toEqual([3, 'audio/wav']);
    expect([...(await found!.stream.toArray() as Buffer[])[0]!]).toEqual([1, 2, 3]);
    expect(await readAudio(db, folder, 'f'.repeat(64))).toBeUndefined();
  });
});

describe('the desk', () => {
  it('shows each part’s bars, and sees a change', async () => {
    const [job] = await readJobs(db);
    expect(job).toMatchObject({ title: 'A job', songs: [{ title: 'Lamps', bars: 32, parts: [{ name: 'Piano', takes: 0 }] }] });
    expect(job!.songs[0]!.parts[0]!.bars).toEqual(Array.from({ length: 32 }, () => 'empty'));
    const layer = header({ id: 'l', partId: 'piano' });
    const closing = { range: { from: 0, to: 3840 }, clears: [] };
    await openLayer(db, 'song', layer, 'new take');
    await addChunk(db, 'l', 0, [event(0.1)]);
    await closeLayer(db, 'l', closing);
    const made = change(song, { type: 'record', at: NOW, treatmentId: 't', result: { passId: 'p', mode: 'new take', layers: [{ header: layer, closing, notes: 1 }] } });
    await changeSong(db, 'song', { base: 0, kind: 'do', name: 'record', patches: made.patches, inverse: made.inverse }, NOW);
    expect((await readJobs(db))[0]!.songs[0]!.parts[0]!.bars.slice(0, 2)).toEqual(['inked', 'empty']);
  });

  it('remembers which keyboards are on', async () => {
    await setDevice(db, 'bench', { on: true });
    await setDevice(db, 'bench', { on: false });
    expect(await readDevices(db)).toEqual({ bench: { on: false } });
  });
});
