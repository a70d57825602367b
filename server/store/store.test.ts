import { mkdtempSync, readdirSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable, Writable } from 'node:stream';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { change } from '../../core/song/changes';
import { newSong } from '../../core/document/document';
import { USUAL_DELIVERY } from '../../core/handover/delivery';
import { MOST_KEPT } from '../../core/kept/kept';
import { presetOf } from '../../core/recording/presets';
import { PLAIN_KEYBOARD } from '../../core/performance/keyboard';
import { DOCUMENT_VERSION, NewerSong } from '../../core/document/versions';
import { header } from '../../core/testing/arbitraries';
import type { LayerEvent } from '../../core/takes/layer';
import { FRESH } from '../../core/vocabulary/limits';
import { addAudio, audioFile, ShortFile, storeAudio, sweepUnfinished } from './audio';
import { copyJob, copySongOf } from './copies';
import { openDatabase, type Database } from './database';
import { changeDevice, readDevices } from './devices';
import { addJob, readJobs, setJob, shelve } from './jobs';
import { readLatency, setLatency } from './latency';
import { addChunk, closeLayer, keepAlive, markTaken, openLayer, readLayers } from './layers';
import { forgetNamed, keepNamed, readKept } from './kept';
import { addVersion, changeDelivery, readDelivery } from './versions';
import { addSong, changeSong, readSong, readStacks, MOST_STEPS, stepsBefore, type NewChange } from './songs';
import { patched, stacksOf, type HistoryRow } from '../../core/song/history';

let folder: string;
let db: Database;
const song = newSong('Lamps', 'piano');
const NOW = '2026-01-01T00:00:00.000Z';
const historyOf = (of: Database, id: string) =>
  of('song_changes')
    .where({ song_id: id } as never)
    .orderBy('revision')
    .select('revision', 'kind', 'name');
const event = (at: number, key = 60): LayerEvent => ({ at, message: { type: 'noteOn', key, velocity: 80 } });

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-store-'));
  db = await openDatabase(folder);
  await addJob(db, { id: 'job', title: 'A job', client: '', due: null, notes: '' }, NOW);
  await addSong(db, 'song', 'job', song);
});
afterEach(async () => {
  await db.destroy();
  rmSync(folder, { recursive: true, force: true });
});

const changeOf = (base: number, bars: number): NewChange => {
  const { patches, inverse } = change(song, { type: 'set brief', brief: { countOffBars: bars } });
  return { id: null, base, after: null, kind: 'set', name: 'set brief', patches, inverse };
};

describe('the database', () => {
  it('writes through a log, in full, and holds its references', async () => {
    const pragma = async (name: string) => Object.values(((await db.raw(`PRAGMA ${name}`)) as object[])[0]!)[0];
    expect([await pragma('journal_mode'), await pragma('synchronous'), await pragma('foreign_keys')]).toEqual([
      'wal',
      2,
      1,
    ]);
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
    expect(await historyOf(db, 'song')).toMatchObject([{ revision: 1, kind: 'set', name: 'set brief' }]);
  });

  it('answers a stale change with the newer song, and is not overwritten', async () => {
    await changeSong(db, 'song', changeOf(0, 3), NOW);
    expect(await changeSong(db, 'song', changeOf(0, 4), NOW)).toMatchObject({ type: 'stale', song: { revision: 1 } });
    expect((await readSong(db, 'song'))?.document.brief.countOffBars).toBe(3);
  });

  it('makes a change once, however often it is sent: the answer may have been lost', async () => {
    const named = { ...changeOf(0, 3), id: 'a' };
    expect(await changeSong(db, 'song', named, NOW)).toEqual({ type: 'changed', revision: 1 });
    expect(await changeSong(db, 'song', { ...changeOf(1, 4), id: 'b' }, NOW)).toEqual({ type: 'changed', revision: 2 });
    expect(await changeSong(db, 'song', named, NOW)).toEqual({ type: 'changed', revision: 1 });
    expect((await readSong(db, 'song'))?.document.brief.countOffBars).toBe(4);
    expect(await historyOf(db, 'song')).toHaveLength(2);
    expect((await readSong(db, 'song'))?.lastChange).toBe('b');
  });

  it('knows a change as stale that was made on another change of the same number', async () => {
    await changeSong(db, 'song', { ...changeOf(0, 3), id: 'theirs' }, NOW);
    const mine = { ...changeOf(1, 4), id: 'mine', after: 'one that was left out' };
    expect(await changeSong(db, 'song', mine, NOW)).toMatchObject({ type: 'stale', song: { lastChange: 'theirs' } });
    expect(await changeSong(db, 'song', { ...mine, after: 'theirs' }, NOW)).toMatchObject({ type: 'changed' });
  });

  it('comes from transactions that begin as writes', async () => {
    const began: string[] = [];
    db.on('query', ({ sql }: { sql: string }) => began.push(sql));
    await changeSong(db, 'song', changeOf(0, 3), NOW);
    expect(began[0]).toBe('BEGIN IMMEDIATE;');
  });

  it('sends what can be undone and redone in pieces, which are the whole history when put together', async () => {
    const rows: HistoryRow[] = [];
    let document = song;
    const make = async (kind: HistoryRow['kind'], row: Pick<NewChange, 'name' | 'patches' | 'inverse'>) => {
      const base = rows.length;
      const sent = { ...row, id: `c${base}`, base, after: null, kind };
      expect(await changeSong(db, 'song', sent, NOW)).toMatchObject({ type: 'changed' });
      document = patched(document, row.patches);
      const { name, patches, inverse } = row;
      rows.push({ revision: base + 1, id: `c${base}`, kind, name, patches, inverse });
    };
    const back = ({ name, patches, inverse }: HistoryRow) => ({ name, patches: inverse, inverse: patches });
    for (let i = 0; i < 2.5 * MOST_STEPS; i += 1) {
      const { patches, inverse } = change(document, { type: 'set part', part: 'piano', to: { gainDb: -1 - (i % 9) } });
      await make(i % 7 === 3 ? 'set' : 'do', { name: 'x', patches, inverse });
      const { done, undone } = stacksOf(rows);
      if (i % 5 === 2) await make('undo', back(done.at(-1)!));
      else if (i % 11 === 4 && undone.length > 0) await make('redo', undone.at(-1)!);
    }
    for (let i = 0; i < 4; i += 1) await make('undo', back(stacksOf(rows).done.at(-1)!));
    const wanted = stacksOf(rows);
    const { undone, older, ...first } = await readStacks(db, 'song');
    expect(undone).toEqual(wanted.undone);
    let done = first.done;
    for (let left = older; left > 0;) {
      const before = await stepsBefore(db, 'song', done[0]!.revision);
      done = [...before.rows, ...done];
      left = before.older;
    }
    expect(done).toEqual(wanted.done);
    expect(done.length).toBeGreaterThan(MOST_STEPS);
  });

  it('remembers of which layers takes were made, undone or not', async () => {
    const closing = { range: { from: 0, to: 3840 }, clears: [] };
    for (const id of ['there', 'undone', 'none']) {
      await openLayer(db, 'song', header({ id, partId: 'piano' }), 'new take');
      await addChunk(db, id, 1, [event(0.1), event(0.2)]);
      await closeLayer(db, id, closing);
    }
    const record = async (id: string, base: number) => {
      const layers = [{ header: header({ id, partId: 'piano', takeId: `take ${id}` }), closing, notes: 1 }];
      const result = { passId: `pass ${id}`, mode: 'new take' as const, layers };
      const { document } = (await readSong(db, 'song'))!;
      const { patches, inverse } = change(document, { type: 'record', at: NOW, result });
      await changeSong(db, 'song', { id, base, after: null, kind: 'do', name: 'record', patches, inverse }, NOW);
      return { patches: inverse, inverse: patches };
    };
    const back = await record('undone', 0);
    const undo = { id: 'u', base: 1, after: null, kind: 'undo' as const, name: 'record', ...back };
    expect(await changeSong(db, 'song', undo, NOW)).toMatchObject({ type: 'changed' });
    await record('there', 2);
    await markTaken(db, 'song');
    const taken = (await readLayers(db, 'song')).map((l) => [l.header.id, l.taken, l.events.length]);
    expect(taken.sort()).toEqual([
      ['none', false, 2],
      ['there', true, 2],
      ['undone', true, 2],
    ]);
  });

  it('is left alone by a change that would break it', async () => {
    const bad: NewChange = { ...changeOf(0, 3), patches: [{ op: 'replace', path: ['bars'], value: 'many' }] };
    expect(await changeSong(db, 'song', bad, NOW)).toMatchObject({ type: 'misfit' });
    expect(await readSong(db, 'song')).toMatchObject({ revision: 0 });
    expect(await historyOf(db, 'song')).toEqual([]);
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
    for (const [n, at] of [
      [2, 20],
      [1, 10],
      [10, 100],
      [1, 10],
    ] as const)
      expect(await addChunk(db, 'layer', n, [event(at)])).toBe('kept');
    expect(await addChunk(db, 'layer', 2, [event(99)])).toBe('other');
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

  it('is closed by its own song only, and by no other browser while it is fed', async () => {
    const closing = { range: { from: 0, to: 960 }, clears: [] };
    await openLayer(db, 'song', header({ id: 'fed' }), 'new take', 'mine', 0);
    expect(await addChunk(db, 'fed', 1, [event(1)], 20_000)).toBe('kept');
    const by = (who: string | null, now: number, songId: string | null = 'song') =>
      closeLayer(db, 'fed', closing, { songId, by: who, now });
    expect(await by('other', 20_000 + FRESH - 1)).toBe('recorded');
    expect(await by('mine', 21_000, 'another')).toBe('another song');
    // A long rest is no end: the one who records says so every few seconds.
    await keepAlive(db, 'fed', 60_000);
    expect(await by('other', 60_000 + FRESH - 1)).toBe('recorded');
    expect((await readLayers(db, 'song')).find((l) => l.header.id === 'fed')?.closing).toBeNull();
    expect(await by('other', 60_000 + FRESH)).toBe('closed');
    expect(await by('mine', 60_000)).toBe('closed');
  });

  it('is one song’s', async () => {
    await addSong(db, 'song 2', 'job', song);
    expect(await openLayer(db, 'song 2', header(), 'new take')).toBe('other');
    expect(await readLayers(db, 'song 2')).toEqual([]);
  });

  it('may be opened twice, and takes nothing when it was never opened', async () => {
    await openLayer(db, 'song', header({ from: 'another' }), 'merge');
    expect((await read()).header.from).toBe('Bench keyboard');
    expect(await addChunk(db, 'none', 1, [])).toBe('unknown');
  });
});

/** A short WAV file. */
const wav = Buffer.concat([
  Buffer.from('RIFF'),
  Buffer.from([40, 0, 0, 0]),
  Buffer.from('WAVEfmt '),
  Buffer.from([16, 0, 0, 0, 1, 0, 1, 0, 0x44, 0xac, 0, 0, 0x88, 0x58, 1, 0, 2, 0, 16, 0]),
  Buffer.from('data'),
  Buffer.from([4, 0, 0, 0, 1, 2, 3, 4]),
]);
const stored = () => readdirSync(join(folder, 'audio')).sort();

describe('stored audio', () => {
  it('lies once under its content, whole', async () => {
    const hash = await addAudio(db, folder, wav);
    expect(await storeAudio(db, folder, Readable.from([wav.subarray(0, 7), wav.subarray(7)]))).toEqual({
      hash,
      bytes: wav.length,
      type: 'audio/wav',
    });
    expect(stored()).toEqual([hash]);
    const found = await audioFile(db, folder, hash);
    expect([found?.length, found?.type]).toEqual([wav.length, 'audio/wav']);
    expect(readFileSync(found!.path)).toEqual(wav);
    // What is shorter on disk than what was stored is found out, and is not handed out as whole.
    truncateSync(found!.path, wav.length - 1);
    await expect(audioFile(db, folder, hash)).rejects.toThrow(ShortFile);
    expect(await audioFile(db, folder, 'f'.repeat(64))).toBeUndefined();
  });

  it.each([
    [
      'breaks off',
      () =>
        storeAudio(
          db,
          folder,
          Readable.from(
            (function* () {
              yield wav.subarray(0, 20);
              throw new Error('gone');
            })(),
          ),
        ),
      'gone',
    ],
    [
      'meets a full disk',
      () =>
        storeAudio(
          db,
          folder,
          Readable.from([wav]),
          () =>
            new Writable({
              write: (_, __, done) => done(Object.assign(new Error('no space'), { code: 'ENOSPC' })),
            }),
        ),
      'disk is full',
    ],
    ['is no sound', () => addAudio(db, folder, Buffer.from('<html>nothing here</html>')), 'neither sound'],
    ['is empty', () => addAudio(db, folder, Buffer.alloc(0)), 'empty'],
  ])('that %s leaves nothing behind', async (_, attempt, reason) => {
    await expect(attempt()).rejects.toThrow(reason);
    expect(stored()).toEqual([]);
    expect(await db('audio').count('* as n').first()).toEqual({ n: 0 });
  });

  it('left unfinished by a crash is swept away, and nothing else', async () => {
    const hash = await addAudio(db, folder, wav);
    writeFileSync(join(folder, 'audio', '.half'), 'half');
    sweepUnfinished(folder);
    expect(stored()).toEqual([hash]);
  });
});

describe('a copy', () => {
  it('of a song or a job has everything, and layers of its own', async () => {
    const layer = header({ id: 'l', partId: 'piano' });
    const closing = { range: { from: 0, to: 3840 }, clears: [] };
    await openLayer(db, 'song', layer, 'new take');
    await addChunk(db, 'l', 0, [{ at: 0.1, message: { type: 'noteOn', key: 60, velocity: 80 } }]);
    await closeLayer(db, 'l', closing);
    const made = change((await readSong(db, 'song'))!.document, {
      type: 'record',
      at: NOW,
      result: { passId: 'p', mode: 'new take', layers: [{ header: layer, closing, notes: 1 }] },
    });
    await changeSong(
      db,
      'song',
      { id: null, base: 0, after: null, kind: 'do', name: 'record', patches: made.patches, inverse: made.inverse },
      NOW,
    );
    let n = 0;
    const newId = () => `copy-${n++}`;
    const { id } = (await copySongOf(db, 'song', newId))!;
    const copy = (await readSong(db, id))!;
    expect(copy.document.title).toBe('Lamps 2');
    const [own] = await readLayers(db, id);
    expect(copy.document.parts[0]!.takes[0]!.layers).toEqual([own!.header.id]);
    expect(own!.header.id).not.toBe('l');
    expect(own!.events).toHaveLength(1);
    await copyJob(db, 'job', newId, NOW);
    const jobs = await readJobs(db);
    expect(jobs.map((j) => [j.title, j.songs.map((s) => s.title)])).toEqual(
      expect.arrayContaining([['A job 2', ['Lamps', 'Lamps 2']]]),
    );
    expect(jobs.flatMap((j) => j.songs.map((s) => s.parts[0]!.bars[0]!.state))).toEqual([
      'picked',
      'picked',
      'picked',
      'picked',
    ]);
    expect(await copySongOf(db, 'none', newId)).toBeUndefined();
    expect(await copyJob(db, 'none', newId, NOW)).toBeUndefined();
  });
});

describe('the desk', () => {
  it('puts jobs and songs on a shelf and back, and changes what is said of a job', async () => {
    expect(await setJob(db, 'job', { title: 'Another', notes: 'Bring cake' })).toBe(true);
    await shelve(db, 'jobs', 'job', 'away', NOW);
    await shelve(db, 'songs', 'song', 'deleted', NOW);
    expect((await readJobs(db))[0]).toMatchObject({
      title: 'Another',
      notes: 'Bring cake',
      shelf: 'away',
      songs: [{ shelf: 'deleted' }],
    });
    await shelve(db, 'jobs', 'job', 'desk', NOW);
    await shelve(db, 'songs', 'song', 'desk', NOW);
    expect((await readJobs(db))[0]).toMatchObject({ shelf: 'desk', songs: [{ shelf: 'desk' }] });
    expect(await setJob(db, 'none', { title: 'x' })).toBe(false);
    expect(await shelve(db, 'songs', 'none', 'away', NOW)).toBe(false);
  });

  it('shows a song that a newer version stored as that, and leaves it as it is', async () => {
    await addSong(db, 'newer', 'job', song);
    const document = JSON.stringify({ ...song, version: DOCUMENT_VERSION + 1, tuning: 442 });
    await db('songs').where({ id: 'newer' }).update({ document });
    const shown = (await readJobs(db)).flatMap((j) => j.songs).find((s) => s.id === 'newer');
    expect(shown).toMatchObject({ unreadable: true, newer: true, title: 'A song of a newer version' });
    await expect(readSong(db, 'newer')).rejects.toThrow(NewerSong);
    await expect(changeSong(db, 'newer', changeOf(0, 3), 'now')).rejects.toThrow(NewerSong);
    expect((await db('songs').where({ id: 'newer' }).first('document')).document).toBe(document);
  });

  it('shows each part’s bars, and sees a change', async () => {
    const [job] = await readJobs(db);
    expect(job).toMatchObject({
      title: 'A job',
      songs: [{ title: 'Lamps', bars: 32, parts: [{ name: 'Piano', takes: 0 }] }],
    });
    expect(job!.songs[0]!.parts[0]!.bars).toEqual([{ state: 'empty', bars: 32 }]);
    const layer = header({ id: 'l', partId: 'piano' });
    const closing = { range: { from: 0, to: 3840 }, clears: [] };
    await openLayer(db, 'song', layer, 'new take');
    await addChunk(db, 'l', 0, [event(0.1)]);
    await closeLayer(db, 'l', closing);
    const made = change(song, {
      type: 'record',
      at: NOW,
      result: { passId: 'p', mode: 'new take', layers: [{ header: layer, closing, notes: 1 }] },
    });
    await changeSong(
      db,
      'song',
      { id: null, base: 0, after: null, kind: 'do', name: 'record', patches: made.patches, inverse: made.inverse },
      NOW,
    );
    expect((await readJobs(db))[0]!.songs[0]!.parts[0]!.bars.slice(0, 2)).toMatchObject([
      { state: 'picked', bars: 1 },
      { state: 'empty' },
    ]);
  });

  it('keeps what it shows of a song, for as long as nothing changes that it was worked out of', async () => {
    const titles = async () => (await readJobs(db)).flatMap((j) => j.songs.map((s) => s.title));
    // What was kept is told from what is worked out by another title.
    const spoil = () => db.raw(`update song_summaries set summary = replace(summary, 'Lamps', 'Kept')`);
    expect(await titles()).toEqual(['Lamps']);
    await spoil();
    expect(await titles()).toEqual(['Kept']);
    await changeDelivery(db, 'job', { leftOut: ['piano'] });
    expect(await titles()).toEqual(['Lamps']);
    await spoil();
    const facts = {
      ...{ delivery: USUAL_DELIVERY, job: { title: 'A job', client: '' }, parts: [] },
      ...{ changed: null, onlyChanged: false, files: [] },
    };
    await addVersion(db, 'song', { number: 1, at: NOW, document: song, ...facts });
    expect(await titles()).toEqual(['Lamps']);
    await spoil();
    expect(await titles()).toEqual(['Kept']);
  });

  it('works a song out once for all who ask at the same time', async () => {
    const asked: string[] = [];
    db.on('query', ({ sql }: { sql: string }) => asked.push(sql));
    await Promise.all([readJobs(db), readJobs(db), readJobs(db)]);
    expect(asked.filter((sql) => sql.startsWith('insert into `song_summaries`'))).toHaveLength(1);
  });

  it('takes what is chosen of a delivery beside what was chosen in another window', async () => {
    expect(await readDelivery(db, 'job')).toEqual(USUAL_DELIVERY);
    await changeDelivery(db, 'job', { midi: 'apart', leftOut: ['piano'] });
    expect(await changeDelivery(db, 'job', { audio: 'none' })).toEqual({
      ...USUAL_DELIVERY,
      ...{ midi: 'apart', leftOut: ['piano'], audio: 'none' },
    });
    expect(await readDelivery(db, 'job')).toMatchObject({ midi: 'apart', audio: 'none' });
    expect(await changeDelivery(db, 'no job', { midi: 'apart' })).toBeUndefined();
  });

  it('remembers which keyboards are on', async () => {
    await changeDevice(db, 'bench', (before) => ({ ...PLAIN_KEYBOARD, ...before, on: true, name: 'Upstairs' }));
    await changeDevice(db, 'bench', (before) => ({ ...before!, on: false, transpose: 12 }));
    const refused = changeDevice(db, 'bench', () => {
      throw new Error('That is no keyboard.');
    });
    await expect(refused).rejects.toThrow('no keyboard');
    // One that was stored when only the switch was known.
    await db('devices').insert({ id: 'old', settings: '{"on":true}' });
    expect(await readDevices(db)).toEqual({
      bench: { ...PLAIN_KEYBOARD, on: false, transpose: 12, name: 'Upstairs' },
      old: { ...PLAIN_KEYBOARD, on: true },
    });
  });

  it('keeps recipes, feels, deliveries and presets by name, each by itself', async () => {
    const recipe = { grid: '16 straight', strength: 0.5, ends: 'keep end', swing: { percent: 58, of: 16 } } as const;
    await keepNamed(db, 'feels', { name: 'Drums', value: { name: 'Drums', bar: 3840, places: [] } });
    await keepNamed(db, 'presets', { name: 'Fills', value: presetOf({ ...song.brief, mode: 'merge' }) });
    // Two windows that keep one each at the same time.
    await Promise.all([
      keepNamed(db, 'recipes', { name: 'Tight', value: { ...recipe, strength: 1 } }),
      keepNamed(db, 'recipes', { name: 'Loose', value: { ...recipe, strength: 0.1 } }),
    ]);
    await keepNamed(db, 'recipes', { name: 'Loose', value: recipe });
    expect(await readKept(db, 'recipes')).toEqual([
      { name: 'Loose', value: recipe },
      { name: 'Tight', value: { ...recipe, strength: 1 } },
    ]);
    await forgetNamed(db, 'recipes', 'Tight');
    await forgetNamed(db, 'recipes', 'Never there');
    expect((await readKept(db, 'recipes')).map((r) => r.name)).toEqual(['Loose']);
    expect(await readKept(db, 'feels')).toHaveLength(1);
    expect((await readKept(db, 'presets'))[0]!.value.mode).toBe('merge');
  });

  it('keeps no more by name than anybody finds again, and says so', async () => {
    const value = { name: 'Feel', bar: 3840, places: [] };
    const row = (i: number) => ({ kind: 'feels', name: `Feel ${i}`, value: JSON.stringify(value) });
    await db.batchInsert(
      'kept',
      Array.from({ length: MOST_KEPT }, (_, i) => row(i)),
      100,
    );
    await expect(keepNamed(db, 'feels', { name: 'One more', value })).rejects.toThrow(/Forget one/);
    await keepNamed(db, 'feels', { name: 'Feel 7', value: { ...value, bar: 2880 } });
    expect(await readKept(db, 'feels')).toHaveLength(MOST_KEPT);
  });

  it('has the presets that were kept in a table of their own, and gives them back to an older version', async () => {
    const brief = presetOf({ ...song.brief, mode: 'replace' });
    await keepNamed(db, 'presets', { name: 'Fixes', value: brief });
    await db.migrate.down();
    await db.migrate.down();
    expect(await db('presets')).toEqual([{ name: 'Fixes', brief: JSON.stringify(brief) }]);
    await db.migrate.latest();
    expect(await readKept(db, 'presets')).toEqual([{ name: 'Fixes', value: brief }]);
  });

  it('keeps the latency figures of each set-up', async () => {
    const figures = {
      words: 'default output, 48 kHz',
      output: { seconds: 0.03, spread: 0.0002, method: 'loop' as const, at: NOW },
      input: null,
    };
    await setLatency(db, 'a', { ...figures, output: null });
    await setLatency(db, 'a', figures);
    expect(await readLatency(db)).toEqual({ a: figures });
  });
});
