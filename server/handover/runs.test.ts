import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { WaveFile } from 'wavefile';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { change, type Command } from '../../core/song/changes';
import { mapsOf } from '../../core/document/maps';
import type { SongDocument } from '../../core/document/document';
import { readMidiFile } from '../../core/files/smf';
import { addAudio } from '../store/audio';
import { USUAL_DELIVERY, type Delivery } from '../../core/handover/delivery';
import { played, songOf } from '../../core/testing/delivered';
import { off, on, pedal } from '../../core/testing/layers';
import { filesOf } from '../../core/handover/files';
import { takeReader } from '../../core/reading/reading';
import { barStart } from '../../core/time/meter';
import { secondsAt } from '../../core/time/tempo';
import { openDatabase, type Database } from '../store/database';
import { addJob } from '../store/jobs';
import { addChunk, closedLayers, closeLayer, openLayer, readLayers } from '../store/layers';
import { addSong, changeSong, readSong } from '../store/songs';
import { readVersions, changeDelivery } from '../store/versions';
import { bundleThread } from '../bundle.mjs';
import { setThread } from '../threads';
import { soundTasks } from './sounds';
import { inWorkers } from './workers';
import { endRun, handOver, madeFile, runOf, startRun, sweepRuns, type Run } from './runs';
import { NothingToMake, type Wish } from './source';

/** Size of a 24-bit sample that counts as silence. */
const SILENT = 8;
const NOW = new Date('2026-11-26T18:00:00Z');
let worker: string;
let folder: string;
let db: Database;

/** A note on the first beat of each bar, of three meters and with a ramp; sixteen seconds or so. */
const own = Array.from({ length: 8 }, (_, bar) => [on(bar * 4, 60 + bar), off(bar * 4 + 0.4, 60 + bar)]).flat();
const piano = played(
  'Piano',
  [...own, pedal(31, true)].sort((a, b) => a.at - b.at),
);
const organ = played('Organ', [on(2, 48), off(30, 48)], { sound: 'tonewheel organ', gainDb: -3 });
const made = songOf([piano.part, organ.part], {
  title: 'Low Tide',
  meter: [
    { bar: 1, beats: 4, unit: 4 },
    { bar: 3, beats: 3, unit: 4 },
    { bar: 5, beats: 6, unit: 8 },
  ],
  tempo: [
    { tick: 0, bpm: 120 },
    { tick: 7680, bpm: 150, ramp: 'linear' },
    { tick: 15_360, bpm: 180 },
  ],
  sections: [
    { id: 'a', name: 'Verse', bars: 4, pattern: null },
    { id: 'b', name: 'Chorus', bars: 4, pattern: null },
  ],
});

beforeAll(async () => {
  worker = join(mkdtempSync(join(tmpdir(), 'tall-kettle-worker-')), 'sound.worker.mjs');
  await bundleThread('sound.worker.mjs', worker);
  setThread('sound.worker.mjs', worker);
});
afterAll(() => rmSync(dirname(worker), { recursive: true, force: true }));
beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-runs-'));
  db = await openDatabase(folder);
  await addJob(db, { id: 'job', title: 'Marsh Light', client: 'Reed & Sons', due: null, notes: '' }, NOW.toISOString());
  await addSong(db, 'song', 'job', made);
  for (const [id, { header, events, closing }] of [...piano.layers, ...organ.layers]) {
    await openLayer(db, 'song', { ...header, tempo: made.tempo }, 'new take');
    const placed = id === 'Piano' ? onBars() : events;
    await addChunk(db, id, 0, placed);
    await closeLayer(db, id, closing);
  }
  await deliver({});
});
afterEach(async () => {
  await db.destroy();
  rmSync(folder, { recursive: true, force: true });
});

function onBars() {
  const { tempo, meter } = mapsOf(made);
  return Array.from({ length: 8 }, (_, i) => {
    const at = secondsAt(tempo, barStart(meter, i + 1));
    const key = 60 + i;
    return [
      { at, message: { type: 'noteOn' as const, key, velocity: 100 } },
      { at: at + 0.2, message: { type: 'noteOff' as const, key, velocity: 64 } },
    ];
  }).flat();
}
const deliver = (to: Partial<Delivery>) => changeDelivery(db, 'job', { ...USUAL_DELIVERY, ...to });

/** Makes files and waits for them. */
async function run(wish: Wish = { revision: 0, which: 'all' }, now = NOW): Promise<Run> {
  const { id } = await startRun(db, folder, 'song', wish, now);
  while (runOf(id)?.state === 'making') await new Promise((done) => setTimeout(done, 20));
  return runOf(id)!;
}
const bytesOf = (of: Run, name: string): Buffer => {
  const index = of.files.findIndex((f) => f.file.name === name);
  return readFileSync(madeFile(of.id, index)!.path);
};
const namesOf = (of: Run) => of.files.map((f) => f.file.name);
async function alter(...commands: Command[]): Promise<SongDocument> {
  for (const command of commands) {
    const song = (await readSong(db, 'song'))!;
    const { patches, inverse } = change(song.document, command);
    const row = { id: null, base: song.revision, after: null, kind: 'do' as const, name: 'x', patches, inverse };
    expect((await changeSong(db, 'song', row, NOW.toISOString())).type).toBe('changed');
  }
  return (await readSong(db, 'song'))!.document;
}
const sidesOf = (bytes: Buffer): Float64Array[] =>
  new WaveFile(Uint8Array.from(bytes)).getSamples(false, Float64Array) as unknown as Float64Array[];

describe('files that are made ready', () => {
  it('are in the song’s key, and hold the client’s pages as they came', async () => {
    const pdf = Buffer.from('%PDF-1.7 two pages');
    const file = await addAudio(db, folder, pdf);
    const pages = [0, 1].map((page) => ({ id: `page ${page}`, file, page, aspect: 1.4 }));
    await alter({ type: 'add sheet pages', pages, systems: [] });
    const plain = { audio: 'none', midi: 'together', pages: true, sheets: false } as const;
    await deliver(plain);
    const struck = (of: Run): number[] =>
      readMidiFile(Uint8Array.from(bytesOf(of, 'Low Tide - all parts.mid')))
        .tracks.flatMap((t) => t.events)
        .flatMap(({ message }) => (message.type === 'noteOn' ? [message.key] : []));
    const before = await run({ revision: 1, which: 'all' });
    expect(namesOf(before)).toEqual(['Low Tide - all parts.mid', 'Low Tide - sheet.pdf']);
    expect(bytesOf(before, 'Low Tide - sheet.pdf')).toEqual(pdf);
    const own = struck(before);
    await alter({ type: 'set transposition', transposition: [{ bar: 1, semitones: -2 }] });
    const after = await run({ revision: 2, which: 'all' });
    expect(struck(after)).toEqual(own.map((key) => key - 2));
  });

  it('line up at bar 1: each as long as the song, each note within a frame of its bar, at every rate', async () => {
    const maps = mapsOf(made);
    for (const rate of [44_100, 48_000, 96_000] as const) {
      await deliver({ rate, audio: 'dry', click: 'plain', midi: 'together' });
      const ready = await run();
      expect(ready.trouble).toBe('');
      const wavs = ready.files.filter((f) => f.file.name.endsWith('.wav'));
      expect(wavs.map((f) => f.file.name)).toEqual(['Piano', 'Organ', 'click'].map((n) => `Low Tide - ${n}.wav`));
      const frames = Math.round(maps.endSeconds * rate);
      for (const { file, bytes, seconds } of wavs) {
        const read = new WaveFile(Uint8Array.from(bytesOf(ready, file.name)));
        expect(read.fmt).toMatchObject({ sampleRate: rate, numChannels: 2, bitsPerSample: 24 });
        expect(sidesOf(bytesOf(ready, file.name))[0]).toHaveLength(frames);
        expect(seconds).toBeCloseTo(frames / rate, 6);
        expect(bytes).toBe(bytesOf(ready, file.name).length);
        expect((read.listCuePoints() as { label: string }[]).map((c) => c.label)).toEqual(['Verse', 'Chorus']);
      }
      // The click is loudest at its first sample.
      const [click] = sidesOf(bytesOf(ready, 'Low Tide - click.wav'));
      const [keys] = sidesOf(bytesOf(ready, 'Low Tide - Piano.wav'));
      for (let bar = 1; bar <= 8; bar += 1) {
        const at = secondsAt(maps.tempo, barStart(maps.meter, bar)) * rate;
        const from = Math.max(0, Math.round(at) - 200);
        const stroke = click!.findIndex((s, i) => i >= from && Math.abs(s) > 2 ** 22 * 0.7);
        expect(Math.abs(stroke - at)).toBeLessThanOrEqual(1);
        // A note begins from nothing: what can be told from silence comes within a millisecond.
        const struck = keys!.findIndex((s, i) => i >= from && Math.abs(s) > SILENT);
        expect(struck - at).toBeGreaterThanOrEqual(-1);
        expect(struck - at).toBeLessThan(rate / 1000);
      }
    }
  });

  it('ring out where that is asked for, and are then all of one length', async () => {
    await deliver({ ends: 'rung out', midi: 'none', sheets: false });
    const ready = await run();
    const lengths = ready.files.map((f) => sidesOf(bytesOf(ready, f.file.name))[0]!.length);
    expect(new Set(lengths).size).toBe(1);
    const song = Math.round(mapsOf(made).endSeconds * 48_000);
    expect(lengths[0]).toBeGreaterThan(song + 4800);
    // The pedal that is down at the end is lifted there: it does not ring for half a minute.
    expect(lengths[0]).toBeLessThan(song + 10 * 48_000);
  });

  it('as FLAC are the same samples', async () => {
    await deliver({ midi: 'none', sheets: false });
    const wav = await run();
    const samples = sidesOf(bytesOf(wav, 'Low Tide - Piano.wav'));
    await deliver({ midi: 'none', sheets: false, format: 'flac' });
    const flac = await run();
    const bytes = bytesOf(flac, 'Low Tide - Piano.flac');
    expect(bytes.subarray(0, 4).toString()).toBe('fLaC');
    const info = bytes.subarray(8);
    expect((info[10]! << 12) | (info[11]! << 4) | (info[12]! >> 4)).toBe(48_000);
    expect((info[13]! & 15) * 2 ** 32 + info.readUInt32BE(14)).toBe(samples[0]!.length);
    // The checksum that FLAC keeps of its samples is that of the WAV's.
    const raw = Buffer.alloc(samples[0]!.length * 6);
    samples[0]!.forEach((left, i) => {
      raw.writeIntLE(left, i * 6, 3);
      raw.writeIntLE(samples[1]![i]!, i * 6 + 3, 3);
    });
    expect(info.subarray(18, 34).toString('hex')).toBe(createHash('md5').update(raw).digest('hex'));
  });

  it('with level add up to the mix; dry does not go by the song’s levels', async () => {
    await deliver({ audio: 'both', midi: 'none', sheets: false, depth: '32-bit float' });
    const ready = await run();
    const [dry, level] = ['', ' with level'].map((w) => sidesOf(bytesOf(ready, `Low Tide - Organ${w}.wav`))[0]!);
    const loudest = (side: Float64Array) => side.reduce((most, s) => Math.max(most, Math.abs(s)), 0);
    expect(loudest(level!) / loudest(dry!)).toBeCloseTo(10 ** (-3 / 20), 3);
  });

  it('say what the parts reach together, and are no longer than they say where the sound rings out', async () => {
    for (const depth of ['24-bit', '32-bit float'] as const) {
      await deliver({ audio: 'both', midi: 'none', sheets: false, depth, ends: 'rung out' });
      const ready = await run();
      for (const { level, truePeak } of ready.sums) {
        const names = ['Piano', 'Organ'].map((part) => `Low Tide - ${part}${level ? ' with level' : ''}.wav`);
        const files = names.map((name) => bytesOf(ready, name));
        for (const file of files) expect(file.readUInt32LE(4) + 8).toBe(file.length);
        const [a, b] = files.map(sidesOf) as [Float64Array[], Float64Array[]];
        const scale = depth === '24-bit' ? 8_388_608 : 1;
        let most = 0;
        a.forEach((side, c) => side.forEach((x, i) => (most = Math.max(most, Math.abs(x + b[c]![i]!) / scale))));
        // Between samples it reaches a little further.
        expect(truePeak).toBeGreaterThan(20 * Math.log10(most) - 0.01);
        expect(truePeak).toBeLessThan(20 * Math.log10(most) + 1);
      }
      expect(ready.sums.map((s) => s.level)).toEqual([false, true]);
    }
    await deliver({ audio: 'dry', midi: 'none', sheets: false, leftOut: [organ.part.id] });
    expect((await run()).sums).toEqual([]);
  });

  it('leave nothing behind when they are stopped, and give way to the next', async () => {
    const { id } = await startRun(db, folder, 'song', { revision: 0, which: 'all' }, NOW);
    const ended = endRun(id);
    expect(runOf(id)).toBeUndefined();
    expect(await ended).toBe(true);
    expect(readdirSync(join(folder, 'handover'))).toEqual([]);
    const ready = await run();
    const path = madeFile(ready.id, 0)!.path;
    await run();
    expect(existsSync(path)).toBe(false);
    sweepRuns(folder);
    expect(existsSync(join(folder, 'handover'))).toBe(false);
  });

  it.skipIf(!existsSync('/dev/full'))('say so when the disk is full', async () => {
    const song = (await readSong(db, 'song'))!.document;
    const read = takeReader(closedLayers(await readLayers(db, 'song')), []);
    const delivery = { ...USUAL_DELIVERY, midi: 'none' as const };
    const files = filesOf(song, song.parts, delivery, { job: '', version: 1 });
    const tasks = soundTasks(song, files, delivery, read, '', () => '/dev/full');
    await expect(inWorkers(tasks, new AbortController().signal)).rejects.toMatchObject({ code: 'ENOSPC' });
  });

  it('are made of nothing else than what the page has seen', async () => {
    const make = (wish: Wish) => startRun(db, folder, 'song', wish, NOW);
    await expect(make({ revision: 3, which: 'all' })).rejects.toThrow(/has changed since/);
    await expect(make({ again: 1 })).rejects.toThrow(NothingToMake);
    const otherwise = { revision: 0, which: 'all', delivery: { ...USUAL_DELIVERY, resolution: 480 } } as const;
    await expect(make(otherwise)).rejects.toThrow(/in another window/);
    await deliver({ leftOut: ['Piano', 'Organ'] });
    await expect(make({ revision: 0, which: 'all' })).rejects.toThrow(/nothing to make/);
  });
});

describe('versions', () => {
  it('are remembered, say what changed, and can be made again to the byte', async () => {
    await deliver({ audio: 'with level', asPlayed: true, names: '{song} - {part} {version}' });
    const first = await run();
    expect(first.version).toBe(1);
    expect(namesOf(first)).not.toContain('Low Tide - delivery note v1.txt');
    const { run: handed } = await handOver(db, first.id);
    expect(namesOf(handed)).toContain('Low Tide - delivery note v1.txt');
    const was = new Map(handed.files.map((f) => [f.file.name, bytesOf(handed, f.file.name)]));
    const now = await alter(
      { type: 'wave through', check: 'clipped x', words: 'Organ: is loud', reason: 'as agreed' },
      { type: 'wave through', check: 'gone', words: 'Piano: hung', reason: 'mended since' },
      {
        ...{ type: 'edit takes', part: 'Piano', what: 'x' },
        takes: [{ take: 'take of Piano', edits: [{ op: 'move', notes: { Piano: '2' }, by: 120, keys: 0 }] }],
      },
    );
    const second = await run({ revision: 3, which: 'changed' }, new Date('2026-11-27T09:00:00Z'));
    expect(second.version).toBe(2);
    expect(namesOf(second).filter((n) => n.endsWith('.wav'))).toEqual(['Low Tide - Piano v2.wav']);
    expect(bytesOf(second, 'Low Tide - Piano v2.wav')).not.toEqual(was.get('Low Tide - Piano v1.wav'));
    const { run: out } = await handOver(db, second.id);
    const note = bytesOf(out, 'Low Tide - delivery note v2.txt').toString();
    expect(note).toContain('Piano: bar 3 changed by hand');
    expect(note).toContain('Organ: is loud: as agreed');
    expect(note).not.toContain('mended since');
    expect(note).toContain('only the parts that changed');
    for (const { file, sha256 } of out.files.filter((f) => f.file.type !== 'note' && f.file.type !== 'page'))
      expect([file.name, note.includes(sha256)]).toEqual([file.name, true]);
    const [one, two] = await readVersions(db, 'song');
    expect([one!.changed, two!.changed]).toEqual([null, ['Piano: bar 3 changed by hand']]);
    expect(now.title).toBe('Low Tide');

    const again = await run({ again: 1 }, new Date('2027-01-01T00:00:00Z'));
    expect(again.differ).toEqual([]);
    expect(namesOf(again).sort()).toEqual([...was.keys()].sort());
    for (const [name, bytes] of was) expect([name, bytesOf(again, name).equals(bytes)]).toEqual([name, true]);
    // Made again is not handed over again.
    await handOver(db, again.id);
    expect(await readVersions(db, 'song')).toHaveLength(2);
  });

  it('of a part alone leave the rest to the next, and can be made again to the byte', async () => {
    const first = await run();
    await handOver(db, first.id);
    const move = (part: string) => ({
      ...({ type: 'edit takes', part, what: 'x' } as const),
      takes: [{ take: `take of ${part}`, edits: [{ op: 'move' as const, notes: { [part]: '0' }, by: 90, keys: 0 }] }],
    });
    await alter(move('Piano'), move('Organ'));
    await expect(run({ revision: 2, which: ['String pad'] })).rejects.toThrow(/nothing to make/);
    const alone = await run({ revision: 2, which: ['Piano'] });
    expect(namesOf(alone).filter((n) => n.endsWith('.mid'))).toEqual(['Low Tide - Piano.mid']);
    const { run: out } = await handOver(db, alone.id);
    expect(bytesOf(out, 'Low Tide - delivery note.txt').toString()).not.toContain('Organ');
    const was = new Map(out.files.map((f) => [f.file.name, bytesOf(out, f.file.name)]));
    const { revision } = (await readSong(db, 'song'))!;
    const rest = await run({ revision, which: 'changed' });
    expect(namesOf(rest).filter((n) => n.endsWith('.wav'))).toEqual(['Low Tide - Organ.wav']);
    await handOver(db, rest.id);
    const versions = await readVersions(db, 'song');
    expect(versions.map((v) => [v.parts, v.alone, v.changed])).toEqual([
      [['Piano', 'Organ'], undefined, null],
      [['Piano'], true, ['Piano: bar 1 changed by hand']],
      [['Organ'], undefined, [expect.stringMatching(/^Organ, since version 1: .*changed by hand/)]],
    ]);
    expect((await startRun(db, folder, 'song', { revision, which: 'all' }, NOW)).version).toBe(4);
    const again = await run({ again: 2 });
    expect(again.differ).toEqual([]);
    for (const [name, bytes] of was) expect([name, bytesOf(again, name).equals(bytes)]).toEqual([name, true]);
  });

  it('have as played beside what is treated', async () => {
    await alter({
      ...{ type: 'treat', part: 'Organ' },
      treatment: { id: 't', from: 0, to: 30_720, grid: '4 straight', strength: 1, ends: 'keep length', offset: 90 },
    });
    await deliver({ asPlayed: true, audio: 'none', midi: 'apart', midiType: 0, resolution: 480, sheets: false });
    const ready = await run({ revision: 1, which: 'all' });
    const starts = (name: string) =>
      readMidiFile(bytesOf(ready, name))
        .tracks[0]!.events.filter((e) => e.message.type === 'noteOn')
        .map((e) => e.at);
    const [treated] = starts('Low Tide - Organ.mid');
    const [asPlayed] = starts('Low Tide - Organ as played.mid');
    expect(Math.abs(asPlayed! - 1920)).toBeLessThanOrEqual(1);
    expect(treated! - asPlayed!).toBeGreaterThan(100);
  });

  it('go out in their order, of the song that they were made of', async () => {
    const first = await run();
    await alter({ type: 'set part', part: 'Piano', to: { gainDb: -9 } });
    await expect(handOver(db, first.id)).rejects.toThrow(/has changed since the files were made/);
    const ready = await run({ revision: 1, which: 'all' });
    // What is set for hearing alone, or waved through, makes no other song.
    await alter(
      { type: 'set part', part: 'Piano', to: { muted: true } },
      { type: 'wave through', check: 'y', words: 'z', reason: 'fine' },
    );
    await handOver(db, ready.id);
    expect((await readVersions(db, 'song')).map((v) => v.number)).toEqual([1]);
    // Asked twice, it is handed over once.
    await handOver(db, ready.id);
    expect(await readVersions(db, 'song')).toHaveLength(1);
  });
});
