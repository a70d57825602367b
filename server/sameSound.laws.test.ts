import { createHash, randomUUID } from 'node:crypto';
import { createWriteStream, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { buffer } from 'node:stream/consumers';
import { pipeline } from 'node:stream/promises';
import fc from 'fast-check';
import { afterAll, expect, it } from 'vitest';
import { newSong } from '../core/document/document';
import { mapsOf } from '../core/document/maps';
import { newPart } from '../core/document/part';
import { newTake } from '../core/document/take';
import { readerOf } from '../core/reading/reading';
import { recovered } from '../core/song/recovery';
import { soundOfPart } from '../core/reading/sound';
import { header } from '../core/testing/arbitraries';
import { HEARD, off, on } from '../core/testing/layers';
import { bring } from './archive/bring';
import { lookInto } from './archive/look';
import { archiveOf } from './archive/write';
import { addAudio, audioFile } from './store/audio';
import { backUpTo, makeBackup } from './store/backups';
import { bringBackSong, putBack } from './store/restoring';
import { belongingsOf } from './store/belongings';
import { copySongOf } from './store/copies';
import { openDatabase, type Database } from './store/database';
import { addJob } from './store/jobs';
import { addChunk, closeLayer, markTaken, openLayer, readLayers } from './store/layers';
import { addPiece, closeRecording, openRecording, recordingsByNow } from './store/recordings';
import { addSong, readSong } from './store/songs';
import { newBacking } from '../core/document/backing';

const AT = '2026-01-01T00:00:00.000Z';
const RATE = 1000;
const folders: string[] = [];
afterAll(() => folders.forEach((folder) => rmSync(folder, { recursive: true, force: true })));

interface Desk {
  readonly folder: string;
  readonly db: Database;
}
function newFolder(): string {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-same-'));
  folders.push(folder);
  return folder;
}
async function deskIn(folder: string): Promise<Desk> {
  return { folder, db: await openDatabase(folder) };
}

/** A pass of the song: how many seconds of sound it has, and what has become of it. */
interface Pass {
  readonly seconds: number;
  readonly keys: boolean;
  readonly state: 'taken' | 'not taken' | 'under way' | 'closed early';
}
const passes = fc.array(
  fc.record<Pass>({
    seconds: fc.integer({ min: 0, max: 12 }),
    keys: fc.boolean(),
    state: fc.constantFrom('taken', 'not taken', 'under way', 'closed early'),
  }),
  { minLength: 1, maxLength: 4 },
);
const bytesOf = (values: number[]): Uint8Array => new Uint8Array(new Float32Array(values).buffer);
const samples = (seed: number, from: number, count: number): Uint8Array =>
  bytesOf(Array.from({ length: count }, (_, i) => Math.sin(seed * 7 + from + i)));
const WAV = Buffer.from(
  'RIFF\x2c\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0\x80\xbb\0\0\0\x77\x01\0\x02\0\x10\0data\x08\0\0\0',
  'latin1',
);
const PLAYED = [on(4), off(5), on(6, 64), off(7, 64)];

/** A song whose parts have each been recorded into by one pass. */
async function fill({ db, folder }: Desk, all: readonly Pass[]): Promise<void> {
  await addJob(db, { id: 'job', title: 'Marsh Light', client: '', due: null, notes: '' }, AT);
  const audio = await addAudio(db, folder, Buffer.concat([WAV, Buffer.alloc(8, all.length)]));
  const backing = newBacking({ id: 'mix', name: 'Mix', audio, length: 1 });
  const parts = all.map((pass, i) => {
    const part = newPart({ id: `part ${i}`, name: `Part ${i}` }, i);
    if (pass.state === 'under way' || pass.state === 'not taken') return part;
    const [range, id] = [{ from: 0, to: 11_520 }, `take ${i}`];
    const take = newTake({ id, number: 1, layers: [`layer ${i}`], ...range, placement: HEARD, at: AT });
    return { ...part, takes: [take], comp: [{ ...range, takeId: id }] };
  });
  const tempo = [{ tick: 0, bpm: 120 }];
  await addSong(db, 'song', 'job', { ...newSong('Low Tide', 'x'), tempo, bars: 8, backings: [backing], parts });
  for (const [i, { seconds, keys, state }] of all.entries()) {
    const sound = { recording: `sound-${i}`, input: 0, frame: 0 };
    const planned = { from: 0, to: 30_720 };
    const own = header({ id: `layer ${i}`, takeId: `take ${i}`, partId: `part ${i}`, tempo, planned, sound });
    await openLayer(db, 'song', own, 'new take', 'elsewhere');
    await openRecording(db, 'song', sound.recording, { zero: -1, rate: RATE, channels: 1, from: 'x' }, null, AT);
    if (keys) await addChunk(db, own.id, 1, PLAYED);
    for (let s = 0; s < seconds; s += 1)
      await addPiece(db, folder, sound.recording, s + 1, s * RATE, samples(i, s * RATE, RATE));
    if (state === 'under way') continue;
    await closeLayer(db, own.id, { range: { from: 0, to: 11_520 }, clears: [] });
    const last = state === 'closed early' ? null : seconds;
    await closeRecording(db, folder, sound.recording, { by: null, last, now: Infinity });
    if (state === 'closed early')
      await addPiece(db, folder, sound.recording, seconds + 1, seconds * RATE, samples(i, seconds * RATE, RATE));
  }
}

/** Course of the desk after that: passes come to their end, and everything is closed. */
async function goOn({ db, folder }: Desk, all: readonly Pass[]): Promise<void> {
  for (const [i, { seconds }] of all.entries()) {
    const id = `sound-${i}`;
    await addPiece(db, folder, id, seconds + 2, (seconds + 1) * RATE, samples(i, (seconds + 1) * RATE, RATE));
    await closeRecording(db, folder, id, { by: null, last: seconds + 2, now: Infinity });
  }
}

/** Sound that is heard of a song wherever it is opened: of each part where something sounds, and its samples. */
async function heard({ db, folder }: Desk, id: string): Promise<unknown> {
  await markTaken(db, id);
  const { document } = (await readSong(db, id))!;
  const { recordings, soFar } = await recordingsByNow(db, folder, (await belongingsOf(db, id)).recordings);
  const named = new Map(recordings.map((r) => [r.id, r]));
  const ends = new Map(recordings.map((r) => [r.id, { ...r, end: r.first + r.frames }]));
  const whole = recovered(document, await readLayers(db, id), ends);
  const layers = new Map(whole.layers.map((l) => [l.header.id, l]));
  const { clocks } = whole.document;
  const sources = { layers, recordings: named, clocks, read: readerOf(layers, clocks).read };
  const bytes = new Map<string, Buffer>();
  for (const { id: name, audio, frames } of recordings) {
    const own = soFar.find((s) => s.recording.id === name);
    const file = own ? await buffer(own.open()) : readFileSync((await audioFile(db, folder, audio))!.path);
    bytes.set(name, file.subarray(file.length - frames * 4));
  }
  for (const own of soFar) await own.close();
  const parts = whole.document.parts.map((part) =>
    soundOfPart(part, sources, mapsOf(whole.document)).map(({ recording, from, to, into }) => {
      const first = Math.round(into * RATE) * 4;
      const own = bytes.get(recording)!.subarray(first, first + Math.round((to - from) * RATE) * 4);
      return [from, to, createHash('sha256').update(own).digest('hex')];
    }),
  );
  const backings = await Promise.all(
    whole.document.backings.map(async (b) =>
      readFileSync((await audioFile(db, folder, b.audio))!.path).toString('hex'),
    ),
  );
  return { parts, backings };
}

/** A way to have the song again: what is made of the desk as it is, and how the song is had from that. */
type Way = (desk: Desk) => Promise<(now: Desk, id: string) => Promise<readonly [Desk, string]>>;
const WAYS: Readonly<Record<string, Way>> = {
  async 'a song brought back'({ folder }) {
    const { name } = await makeBackup(folder, new Date());
    return async (now, id) => [now, (await bringBackSong(now.db, folder, name, id, randomUUID, new Date()))!];
  },
  async 'the whole desk put back'({ folder }) {
    const { name } = await makeBackup(folder, new Date());
    return async (now, id) => {
      await now.db.destroy();
      await putBack(folder, name);
      return [await deskIn(folder), id];
    };
  },
  async 'a copy of the data folder'({ folder }) {
    const to = newFolder();
    await backUpTo(folder, to);
    return async (now, id) => {
      await now.db.destroy();
      return [await deskIn(to), id];
    };
  },
  async 'an archive'({ folder }) {
    const path = join(newFolder(), 'job.zip');
    await pipeline((await archiveOf(folder, 'job', AT))!.stream, createWriteStream(path));
    return async (now, id) => {
      await now.db.destroy();
      const other = await deskIn(newFolder());
      const look = await lookInto(path);
      await bring(other.db, other.folder, look, 'beside', randomUUID);
      look.zip.close();
      return [other, id];
    };
  },
  'a copy of the song': () =>
    Promise.resolve(async (now, id) => [now, (await copySongOf(now.db, id, randomUUID))!.id] as const),
};

it('whatever is done, the same song sounds the same, to the sample', async () => {
  const ways = fc.array(fc.constantFrom(...Object.keys(WAYS)), { minLength: 1, maxLength: 3 });
  await fc.assert(
    fc.asyncProperty(passes, ways, fc.boolean(), async (given, names, goesOn) => {
      // A copy is made of what is there, with no pass under way in it, and what is not taken is the original's.
      const isWhole = names[0] !== 'a copy of the song';
      const all = isWhole ? given : given.map((p) => ({ ...p, state: 'taken' as const }));
      let desk = await deskIn(newFolder());
      let id = 'song';
      try {
        await fill(desk, all);
        const before = await heard(desk, id);
        for (const [i, name] of names.entries()) {
          const had = await WAYS[name]!(desk);
          if (i === 0 && goesOn && isWhole) await goOn(desk, all);
          [desk, id] = await had(desk, id);
          expect(await heard(desk, id), names.join(', ')).toEqual(before);
        }
      } finally {
        await desk.db.destroy();
      }
    }),
    { numRuns: Number(process.env.WORLDS ?? 12) },
  );
}, 600_000);
