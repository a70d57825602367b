import { createHash, randomBytes, randomUUID } from 'node:crypto';
import { createWriteStream, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { pipeline } from 'node:stream/promises';
import { afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { ZipFile } from 'yazl';
import { change, type Command } from '../../core/song/changes';
import type { SongDocument } from '../../core/document/document';
import { mapsOf } from '../../core/document/maps';
import { ARCHIVE_VERSION, kindOfEntry, MANIFEST, type Manifest } from '../../core/archive/archive';
import { USUAL_DELIVERY } from '../../core/handover/delivery';
import { lineOf, takeReader } from '../../core/reading/reading';
import { played, songOf } from '../../core/testing/delivered';
import { off, on, pedal } from '../../core/testing/layers';
import { soundOfBank } from '../../core/vocabulary/sounds';
import { madeBank } from '../../demo/soundBank';
import { addAudio, audioExists, storeAudio } from '../store/audio';
import { openDatabase, type Database } from '../store/database';
import { addJob, readJobs } from '../store/jobs';
import { readKept } from '../store/kept';
import { addChunk, closedLayers, closeLayer, openLayer, readLayers } from '../store/layers';
import { addPiece, closeRecording, openRecording, recordingsOfSong } from '../store/recordings';
import { addSong, changeSong, readSong, readStacks } from '../store/songs';
import { addVersion, readDelivery, readVersions, changeDelivery } from '../store/versions';
import { archiveOf } from './write';
import { bring, type Way } from './bring';
import { lookInto } from './look';
import { bringHeld, receive } from './uploads';
import { bundleThread } from '../bundle.mjs';
import { setThread } from '../threads';
import { newBacking } from '../../core/document/backing';

const AT = '2026-11-26T18:00:00.000Z';
const folders: string[] = [];
const opened: Database[] = [];
let full: { db: Database; folder: string };

async function desk(): Promise<{ db: Database; folder: string }> {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-archive-'));
  folders.push(folder);
  const db = await openDatabase(folder);
  opened.push(db);
  return { db, folder };
}

/** A WAV of some length, of noise that tells it from others. */
function wav(seed: number, bytes: number): Buffer {
  const data = Buffer.alloc(bytes, (seed * 37) % 251);
  const head = Buffer.alloc(44);
  head.write('RIFF', 0);
  head.writeUInt32LE(36 + bytes, 4);
  head.write('WAVEfmt ', 8);
  head.writeUInt32LE(16, 16);
  head.writeUInt16LE(1, 20);
  head.writeUInt16LE(1, 22);
  head.writeUInt32LE(48_000, 24);
  head.writeUInt32LE(96_000, 28);
  head.writeUInt16LE(2, 32);
  head.writeUInt16LE(16, 34);
  head.write('data', 36);
  head.writeUInt32LE(bytes, 40);
  return Buffer.concat([head, data]);
}

async function addTo({ db, folder }: typeof full, id: string, seed: number): Promise<void> {
  const { hash } = await storeAudio(db, folder, Readable.from([wav(seed, 5000 + seed)]));
  const { hash: sheet } = await storeAudio(db, folder, Readable.from([Buffer.from(`%PDF-1.7 ${seed}`)]));
  const piano = played('Piano', [on(0), off(1), on(4, 64), pedal(5, true), pedal(6, false), off(7, 64)]);
  const layerId = `${id} layer`;
  const backing = newBacking({ id: 'mix', name: 'Mix', audio: hash, length: 1 });
  const take = { ...piano.part.takes[0]!, layers: [layerId] };
  const again = { id: 'again', recording: `${id}-sound`, input: 0, first: 1, bars: [{ at: 0, sign: 'x' }], at: AT };
  const song = songOf([{ ...piano.part, takes: [take], soundedAgain: [again] }], {
    title: `Song ${id}`,
    backings: [backing],
    sheet: { pages: [{ id: 'page', file: sheet, page: 0, aspect: 1.4 }], systems: [], ink: [] },
    transposition: [{ bar: 2, semitones: 3 }],
  });
  await addSong(db, id, 'job', song);
  const [[, { header, closing, events }]] = piano.layers as [(typeof piano.layers)[0]];
  const sound = { recording: `${id}-sound`, input: 0.01, frame: 0 };
  const facts = { zero: -1, rate: 48_000, channels: 1, from: 'Line in' };
  await openRecording(db, id, sound.recording, facts, null, AT);
  const samples = new Uint8Array(Float32Array.from({ length: 900 + seed }, (_, i) => i / 1000).buffer);
  await addPiece(db, folder, sound.recording, 1, 4800, samples);
  await closeRecording(db, folder, sound.recording, { by: null, last: 1, now: 0 });
  await openLayer(db, id, { ...header, id: layerId, tempo: song.tempo, sound }, 'new take');
  await addChunk(db, layerId, 0, events);
  await closeLayer(db, layerId, closing);
  // One that is still open: the browser went away in the middle of it.
  await openLayer(db, id, { ...header, id: `${id} open`, tempo: song.tempo }, 'merge');
  await addChunk(db, `${id} open`, 0, [{ at: 1.25, message: { type: 'noteOn', key: 70, velocity: 9 } }]);
  const edit: Command = {
    ...{ type: 'edit takes', part: 'Piano', what: 'moving' },
    takes: [{ take: take.id, edits: [{ op: 'move', notes: { [layerId]: '1' }, by: 120, keys: 0 }] }],
  };
  const { document, patches, inverse } = change(song, edit);
  const row = {
    id: `${id} change`,
    base: 0,
    after: null,
    kind: 'do' as const,
    name: 'by hand: moving',
    patches,
    inverse,
  };
  expect((await changeSong(db, id, row, AT)).type).toBe('changed');
  await addVersion(db, id, {
    ...{ number: 1, at: AT, document, delivery: USUAL_DELIVERY, job: { title: 'Marsh Light', client: '' } },
    ...{ parts: ['Piano'], changed: null, onlyChanged: false },
    files: [
      {
        ...{ name: 'x.wav', bytes: 5, sha256: 'a'.repeat(64), seconds: 1 },
        levels: { peak: -Infinity, truePeak: -1.5, loudness: -20 },
      },
    ],
  });
}

beforeAll(async () => {
  const thread = join(mkdtempSync(join(tmpdir(), 'tall-kettle-worker-')), 'archive.worker.mjs');
  await bundleThread('archive.worker.mjs', thread);
  setThread('archive.worker.mjs', thread);
});
beforeEach(async () => {
  full = await desk();
  await addJob(full.db, { id: 'job', title: 'Marsh Light', client: 'Reed', due: '2026-12-01', notes: 'dry' }, AT);
  await changeDelivery(full.db, 'job', { midi: 'apart' });
  for (const [i, id] of ['one', 'two'].entries()) await addTo(full, id, i + 1);
});
afterEach(async () => {
  await Promise.all(opened.splice(0).map((db) => db.destroy()));
  for (const folder of folders.splice(0)) rmSync(folder, { recursive: true, force: true });
});

async function archived({ folder }: typeof full, jobId = 'job', at = AT, withBanks = false): Promise<string> {
  const path = join(folder, `${randomUUID()}.zip`);
  await pipeline((await archiveOf(folder, jobId, at, withBanks))!.stream, createWriteStream(path));
  return path;
}
async function brought(to: typeof full, path: string, way: Way = 'beside') {
  const look = await lookInto(path);
  try {
    return { look, ...(await bring(to.db, to.folder, look, way, randomUUID)) };
  } finally {
    look.zip.close();
  }
}
async function soundsOf(db: Database, songId: string): Promise<unknown> {
  const { document } = (await readSong(db, songId))!;
  const layers = closedLayers(await readLayers(db, songId));
  const maps = mapsOf(document);
  const notes = (song: SongDocument) =>
    song.parts.map((p) => lineOf(p, takeReader(layers, song.clocks), maps).notes.map((n) => [n.key, n.start, n.end]));
  return [notes(document), (await readVersions(db, songId)).map((v) => v.files)];
}

describe('an archive', () => {
  it('has the sound banks of its songs where that is wanted, and they are listed where it comes in', async () => {
    const hash = await addAudio(full.db, full.folder, madeBank());
    const sound = soundOfBank({ hash, bank: 0, program: 20, name: 'Reed of the marsh' });
    const { document } = (await readSong(full.db, 'one'))!;
    const parts = document.parts.map((p) => ({ ...p, sound }));
    await full
      .db('songs')
      .where({ id: 'one' })
      .update({ document: JSON.stringify({ ...document, parts }) });
    for (const withBanks of [false, true]) {
      const empty = await desk();
      const { refused } = await brought(empty, await archived(full, 'job', AT, withBanks));
      expect(refused).toEqual([]);
      expect((await readSong(empty.db, 'one'))!.document.parts[0]!.sound).toBe(sound);
      expect(await audioExists(empty.db, hash)).toBe(withBanks);
      const listed = (await readKept(empty.db, 'banks')).map((b) => [b.name, b.value.hash, b.value.presets.length]);
      expect(listed).toEqual(withBanks ? [['Marsh Light sounds', hash, 3]] : []);
    }
  });

  it('comes out, goes in on an empty machine, and comes out again byte for byte', async () => {
    const path = await archived(full);
    const empty = await desk();
    const { damage } = (await brought(empty, path)).look;
    expect(damage).toEqual([]);
    expect(readFileSync(await archived(empty)).equals(readFileSync(path))).toBe(true);
    for (const id of ['one', 'two']) {
      expect(await soundsOf(empty.db, id)).toEqual(await soundsOf(full.db, id));
      expect(await readStacks(empty.db, id)).toEqual(await readStacks(full.db, id));
      const recorded = await recordingsOfSong(empty.db, id);
      expect(recorded).toEqual(await recordingsOfSong(full.db, id));
      expect(recorded).toMatchObject([{ id: `${id}-sound`, first: 4800, rate: 48_000 }]);
      expect((await readLayers(empty.db, id)).map((l) => l.events)).toEqual(
        (await readLayers(full.db, id)).map((l) => l.events),
      );
    }
    expect(await readDelivery(empty.db, 'job')).toEqual(await readDelivery(full.db, 'job'));
    expect((await readJobs(empty.db))[0]).toMatchObject({ title: 'Marsh Light', due: '2026-12-01', notes: 'dry' });
  });

  it('is as the job was when it was asked for, whatever is recorded while it is written', async () => {
    const before = readFileSync(await archived(full));
    const { stream } = (await archiveOf(full.folder, 'job', AT))!;
    await addChunk(full.db, 'one open', 1, [{ at: 2, message: { type: 'noteOn', key: 71, velocity: 9 } }]);
    const { document } = (await readSong(full.db, 'two'))!;
    const { patches, inverse } = change(document, { type: 'set length', bars: 9 });
    const row = { id: null, base: 1, after: null, kind: 'do' as const, name: 'set length', patches, inverse };
    expect((await changeSong(full.db, 'two', row, AT)).type).toBe('changed');
    expect((await buffer(stream)).equals(before)).toBe(true);
    expect(readFileSync(await archived(full)).equals(before)).toBe(false);
  });

  it('that cannot be written to its end breaks off, and takes nothing else along', async () => {
    const { stream } = (await archiveOf(full.folder, 'job', AT))!;
    // Its sounds are gone from under it.
    rmSync(join(full.folder, 'audio'), { recursive: true });
    await expect(buffer(stream)).rejects.toThrow(/ENOENT/);
  });

  it('comes beside a job that is there, sounds like it, and touches nothing of it', async () => {
    const path = await archived(full);
    const { jobId, title } = await brought(full, path, 'beside');
    expect([jobId === 'job', title]).toEqual([false, 'Marsh Light 2']);
    const jobs = await readJobs(full.db);
    const [other] = jobs.filter((j) => j.id === jobId);
    expect(other!.songs.map((s) => s.title)).toEqual(['Song one', 'Song two']);
    for (const [i, id] of ['one', 'two'].entries())
      expect(await soundsOf(full.db, other!.songs[i]!.id)).toEqual(await soundsOf(full.db, id));
    expect(readFileSync(await archived(full)).equals(readFileSync(path))).toBe(true);
    expect(await recordingsOfSong(full.db, other!.songs[0]!.id)).toEqual(await recordingsOfSong(full.db, 'one'));
    // Undo goes on there, too.
    const { done } = await readStacks(full.db, other!.songs[0]!.id);
    expect(done.map((r) => r.name)).toEqual(['by hand: moving']);
    expect(JSON.stringify(done[0]!.patches)).not.toContain('one layer');
  });

  it('brings a recording under another name where there is another of its name; none without sound', async () => {
    const path = await archived(full);
    const empty = await desk();
    await addJob(empty.db, { id: 'own', title: 'Own', client: '', due: null, notes: '' }, AT);
    await addSong(empty.db, 'own song', 'own', songOf([]));
    const facts = { zero: 0, rate: 44_100, channels: 1, from: 'Another' };
    await openRecording(empty.db, 'own song', 'one-sound', facts, null, AT);
    await brought(empty, path);
    const [mine] = await recordingsOfSong(empty.db, 'one');
    expect(mine!.id).not.toBe('one-sound');
    expect({ ...mine, id: 'one-sound' }).toEqual((await recordingsOfSong(full.db, 'one'))[0]);
    const { document } = (await readSong(empty.db, 'one'))!;
    expect(document.parts[0]!.soundedAgain[0]!.recording).toBe(mine!.id);
    const bare = await desk();
    const look = await lookInto(path);
    const { audio } = (await recordingsOfSong(full.db, 'two'))[0]!;
    const whole = new Set([...look.whole].filter((f) => !f.includes(audio)));
    await bring(bare.db, bare.folder, { ...look, whole }, 'beside', randomUUID);
    look.zip.close();
    expect(await recordingsOfSong(bare.db, 'two')).toEqual([]);
    expect(await readLayers(bare.db, 'two')).toHaveLength(2);
  });

  it('is merged with a job that is there: songs like those there are left, others come beside them', async () => {
    const path = await archived(full);
    const song = (await readSong(full.db, 'two'))!;
    const { patches, inverse } = change(song.document, { type: 'set length', bars: 9 });
    const row = { id: null, base: 1, after: null, kind: 'do' as const, name: 'set length', patches, inverse };
    await changeSong(full.db, 'two', row, AT);
    const { same, came, jobId } = await brought(full, path, 'merge');
    expect([same, came, jobId]).toEqual([['Song one'], ['Song two 2'], 'job']);
    const [job] = await readJobs(full.db);
    expect(job!.songs.map((s) => [s.title, s.bars])).toEqual([
      ['Song one', 8],
      ['Song two', 9],
      ['Song two 2', 8],
    ]);
  });
});

describe('a damaged archive', () => {
  const rezipped = async (path: string, alter: (name: string, bytes: Buffer) => Buffer | null): Promise<string> => {
    const look = await lookInto(path);
    const zip = new ZipFile();
    for (const [name, entry] of look.zip.entries) {
      const pieces: Buffer[] = [];
      for await (const piece of await entry.open()) pieces.push(piece as Buffer);
      const bytes = alter(name, Buffer.concat(pieces));
      if (bytes) zip.addBuffer(bytes, name);
    }
    look.zip.close();
    zip.end();
    const out = `${path}.other`;
    await pipeline(zip.outputStream, createWriteStream(out));
    return out;
  };

  it('that was cut short gives what is whole of it, wherever it was cut', async () => {
    const bytes = readFileSync(await archived(full));
    const empty = await desk();
    const path = join(empty.folder, 'cut.zip');
    // Behind the files stands their directory: without it alone all of them are whole.
    const files = bytes.indexOf(Buffer.from('PK\x01\x02', 'latin1'));
    let most = -1;
    for (let share = 0.02; share < 1; share += 0.07) {
      writeFileSync(path, bytes.subarray(0, Math.floor(files * share)));
      const look = await lookInto(path).catch((error: Error) => error);
      if (look instanceof Error) {
        expect(look.message).toMatch(/whole|list of what it holds|not a Tall Kettle archive/);
        continue;
      }
      expect(look.zip.cut).toBe(true);
      expect(look.damage.length).toBeGreaterThan(0);
      // The longer, the more.
      expect(look.whole.size).toBeGreaterThanOrEqual(most);
      most = look.whole.size;
      look.zip.close();
    }
    expect(most).toBeGreaterThan(8);
    const { came, look } = await brought(empty, path);
    expect(came).toEqual(['Song one', 'Song two']);
    expect(look.damage.map((d) => d.words)).toContain('a backing or a recorded sound is missing');
    expect(await soundsOf(empty.db, 'one')).toEqual(await soundsOf(full.db, 'one'));
  });

  it('with bytes that were changed leaves out what they are in, and says what', async () => {
    const path = await archived(full);
    const spoiled = await rezipped(path, (name, bytes) => {
      if (name === 'songs/1/layers/0.json') return Buffer.from(bytes.toString().replace('"key":60', '"key":61'));
      if (name === 'songs/2/song.json') return bytes.subarray(0, bytes.length - 20);
      if (name === 'songs/1/history.jsonl') return null;
      if (name.startsWith('audio/')) return Buffer.concat([bytes.subarray(1), Buffer.of(7)]);
      return bytes;
    });
    const empty = await desk();
    const { came, look } = await brought(empty, spoiled);
    expect(came).toEqual(['Song one']);
    expect(look.damage.map((d) => d.file).sort()).toEqual(
      [...look.zip.entries.keys(), 'songs/1/history.jsonl']
        .filter((f) => /^audio|layers\/0|2\/song|history/.test(f) && !/^songs\/2\/(layers|history)/.test(f))
        .concat([])
        .filter((f) => !f.startsWith('songs/1/layers/1'))
        .sort(),
    );
    expect(await empty.db('audio').pluck('hash')).toEqual([]);
  });

  it('of every broken byte somewhere says its reason, and never takes anything for whole that is not', async () => {
    const bytes = readFileSync(await archived(full));
    const empty = await desk();
    const path = join(empty.folder, 'flipped.zip');
    for (let i = 0; i < 60; i += 1) {
      const flipped = Buffer.from(bytes);
      const at = Math.floor((i / 60) * bytes.length);
      flipped[at]! ^= 0x55;
      writeFileSync(path, flipped);
      const look = await lookInto(path).catch((error: Error) => error);
      if (look instanceof Error) {
        expect(look.message.length).toBeGreaterThan(10);
        continue;
      }
      for (const file of look.whole) {
        const hash = createHash('sha256');
        for await (const piece of await look.zip.entries.get(file)!.open()) hash.update(piece as Buffer);
        expect(hash.digest('hex')).toBe(look.manifest.files[file]!.sha256);
      }
      look.zip.close();
    }
  });

  it('that is hostile is refused, or read without what is', async () => {
    const { folder, db } = await desk();
    const path = join(folder, 'x.zip');
    const made = async (fill: (zip: ZipFile) => void): Promise<string> => {
      const zip = new ZipFile();
      fill(zip);
      zip.end();
      await pipeline(zip.outputStream, createWriteStream(path));
      return path;
    };
    const refused = async (why: RegExp) => expect(lookInto(path)).rejects.toThrow(why);
    writeFileSync(path, 'no zip at all');
    await refused(/not a zip/);
    await made((z) => z.addBuffer(Buffer.from('{}'), 'other.json'));
    await refused(/not a Tall Kettle archive/);
    const good = await lookInto(await archived(full));
    const list = good.manifest;
    good.zip.close();
    const withList = (over: Partial<Manifest>) => (z: ZipFile) =>
      z.addBuffer(Buffer.from(JSON.stringify({ ...list, ...over })), MANIFEST);
    await made(withList({ version: ARCHIVE_VERSION + 1 }));
    await refused(/newer version/);
    await made(withList({ songs: 1e9 as never }));
    await refused(/not right/);
    // An id that would lead elsewhere where it stands in an address.
    await made(withList({ job: { ...list.job, id: '../../x' } }));
    await refused(/not right/);
    // A name that climbs: written by hand, for no good program makes one.
    await made((z) => z.addBuffer(Buffer.from('x'), 'songs/1/AAAA/BBBB'));
    writeFileSync(
      path,
      Buffer.from(
        readFileSync(path).toString('latin1').replaceAll('songs/1/AAAA', '../../../aaaa'.slice(0, 12)),
        'latin1',
      ),
    );
    await refused(/lead out of it/);
    // A link.
    await made((z) => {
      withList({ files: {} })(z);
      z.addBuffer(Buffer.from('/etc/passwd'), 'songs/1/song.json', { mode: 0o120777 });
      z.addBuffer(Buffer.from('x'), 'songs/1/evil.exe');
    });
    const look = await lookInto(path);
    expect(look.zip.strange).toEqual(['songs/1/song.json', 'songs/1/evil.exe']);
    expect(look.songs).toEqual([]);
    look.zip.close();
    // Files that become far more than they are; a list without end, and one that is nested without end.
    await made((z) => {
      withList({ files: {} })(z);
      z.addBuffer(Buffer.alloc(100_000_000), 'songs/1/layers/0.json');
    });
    await refused(/would become 100 MB/);
    await made((z) => {
      z.addBuffer(Buffer.alloc(17 * 2 ** 20, ' '), MANIFEST);
      z.addBuffer(randomBytes(500_000), 'audio/x.wav', { compress: false });
    });
    await refused(/no list of what it holds/);
    await made((z) => {
      z.addBuffer(Buffer.alloc(8 * 2 ** 20, '['), MANIFEST);
      z.addBuffer(randomBytes(500_000), 'audio/x.wav', { compress: false });
    });
    await refused(/list of what it holds cannot be read/);
    // Files whose bytes are the same bytes.
    await made((z) => {
      withList({ files: {} })(z);
      for (const i of [0, 1, 2]) z.addBuffer(Buffer.alloc(1000, 'x'), `songs/1/layers/${i}.json`, { compress: false });
    });
    const zipped = readFileSync(path);
    const entries = [...zipped.toString('latin1').matchAll(/PK\x01\x02/g)].map((m) => m.index);
    zipped.writeUInt32LE(zipped.readUInt32LE(entries[1]! + 42), entries[3]! + 42);
    writeFileSync(path, zipped);
    await refused(/lie over one another/);
    // A directory that says it has a million files.
    const record = Buffer.alloc(56 + 20 + 22);
    record.writeUInt32LE(0x06064b50, 0);
    record.writeBigUInt64LE(44n, 4);
    record.writeBigUInt64LE(1_000_000n, 24);
    record.writeBigUInt64LE(1_000_000n, 32);
    record.writeUInt32LE(0x07064b50, 56);
    record.writeUInt32LE(1, 72);
    record.writeUInt32LE(0x06054b50, 76);
    record.fill(0xff, 84, 96);
    writeFileSync(path, record);
    await refused(/an archive has fewer/);
    // What could not be read is not kept.
    const signal = new AbortController().signal;
    const nothing = () => Readable.from([Buffer.from('nothing')]);
    await expect(receive(db, folder, nothing(), signal)).rejects.toThrow(/not a zip/);
    expect(await readJobs(db)).toEqual([]);
  });

  it('is read in a thread, which ends with whoever sent it', async () => {
    const bytes = readFileSync(await archived(full));
    const { db, folder } = await desk();
    const waiting = await receive(db, folder, Readable.from([bytes]), new AbortController().signal);
    expect(waiting).toMatchObject({ job: 'Marsh Light', songs: ['Song one', 'Song two'], damage: [] });
    // Asked twice, as after an answer that was lost, it comes once.
    const [first, second] = await Promise.all([
      bringHeld(db, folder, waiting.id, 'beside'),
      bringHeld(db, folder, waiting.id, 'beside'),
    ]);
    expect(second).toEqual(first);
    expect(await bringHeld(db, folder, waiting.id, 'beside')).toEqual(first);
    expect(await readJobs(db)).toHaveLength(1);
    const sender = new AbortController();
    const gone = receive(db, folder, Readable.from([bytes]), sender.signal);
    setTimeout(() => sender.abort(new Error('gone')), 30);
    await expect(gone).rejects.toThrow('gone');
    expect(readdirSync(join(folder, 'archives'))).toEqual([]);
  });

  it('whose history goes on beyond its song is refused, and nothing of it is there', async () => {
    await full.db('song_changes').where({ song_id: 'one' }).update({ revision: 5 });
    const path = await archived(full);
    const other = await desk();
    const { came, refused } = await brought(other, path);
    expect([came, refused]).toEqual([['Song two'], ['Song one']]);
    expect(await other.db('song_changes').where({ song_id: 'one' })).toEqual([]);
  });

  it('that contradicts itself brings the songs that do not, and says which do', async () => {
    const look = await lookInto(await archived(full));
    look.zip.close();
    const zip = new ZipFile();
    const files: Record<string, { bytes: number; sha256: string }> = {};
    const again = await lookInto(look.path);
    const put: [string, Buffer][] = [];
    for (const [name, entry] of again.zip.entries) {
      const pieces: Buffer[] = [];
      for await (const piece of await entry.open()) pieces.push(piece as Buffer);
      let bytes = Buffer.concat(pieces);
      // Two layers of one name, and what is no sound under its own hash.
      if (name === 'songs/1/layers/1.json') bytes = Buffer.from(bytes.toString().replaceAll('one open', 'one layer'));
      put.push([name, bytes]);
    }
    again.zip.close();
    const letter = Buffer.from('Dear client, this is no sound at all.');
    put.push([`audio/${createHash('sha256').update(letter).digest('hex')}.wav`, letter]);
    for (const [name, bytes] of put)
      if (name !== MANIFEST && name !== 'README.txt')
        files[name] = { bytes: bytes.length, sha256: createHash('sha256').update(bytes).digest('hex') };
    zip.addBuffer(Buffer.from(JSON.stringify({ ...look.manifest, files })), MANIFEST);
    for (const [name, bytes] of put) if (name !== MANIFEST) zip.addBuffer(bytes, name);
    zip.end();
    const path = join(full.folder, 'odd.zip');
    await pipeline(zip.outputStream, createWriteStream(path));
    const empty = await desk();
    const { came, refused } = await brought(empty, path);
    expect([came, refused.length]).toEqual([['Song two'], 2]);
    expect(refused).toContain('Song one');
    expect(await empty.db('songs').pluck('id')).toEqual(['two']);
    expect(await empty.db('song_changes').where({ song_id: 'one' }).pluck('revision')).toEqual([]);
  });

  it('knows its files by their names, and no others', () => {
    expect(kindOfEntry('songs/1/layers/12.json')).toEqual({ kind: 'layer', song: 1, index: 12 });
    for (const name of [
      '../songs/1/song.json',
      'songs/1/song.json/',
      'audio/abc.wav',
      'songs/x/song.json',
      '/README.txt',
    ])
      expect(kindOfEntry(name)).toBeUndefined();
  });
});
