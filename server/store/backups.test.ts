import { existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { newSong } from '../../core/document/document';
import { change } from '../../core/song/changes';
import { header } from '../../core/testing/arbitraries';
import { backUpTo, listBackups, makeBackup, thinBackups } from './backups';
import { BackupSchedule } from './backupSchedule';
import { diskUse } from './diskUse';
import { bringBackSong, putBack, songsInBackup } from './restoring';
import { openDatabase, type Database } from './database';
import { addJob } from './jobs';
import { addChunk, closeLayer, openLayer, readLayers } from './layers';
import { addSong, changeSong, readSong } from './songs';
import { newBacking } from '../../core/document/backing';

let folder: string;
let db: Database;
const song = newSong('Lamps', 'piano');
const at = (hour: number) => new Date(Date.UTC(2026, 0, 1, hour));
let names = 0;
const newId = () => `new ${names++}`;

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-backups-'));
  db = await openDatabase(folder);
  await addJob(db, { id: 'job', title: 'Marsh Light', client: '', due: null, notes: '' }, at(0).toISOString());
  await addSong(db, 'song', 'job', song);
});
afterEach(async () => {
  await db.destroy();
  rmSync(folder, { recursive: true, force: true });
});

async function retitle(title: string): Promise<void> {
  const now = (await readSong(db, 'song'))!;
  const { patches, inverse } = change(now.document, { type: 'set song', to: { title } });
  const base = now.revision;
  await changeSong(db, 'song', { id: null, base, after: null, kind: 'set', name: 'set song', patches, inverse }, 'now');
}
const titles = async (of: Database) =>
  (await of<{ document: string }>('songs').select('document')).map(
    (r) => (JSON.parse(r.document) as { title: string }).title,
  );

describe('a backup', () => {
  it('is whole, made while the database is in use, and looked into without being touched', async () => {
    const writes = Promise.all(Array.from({ length: 20 }, (_, i) => retitle(`Title ${i}`)));
    const { name } = await makeBackup(folder, at(1));
    await writes;
    expect(await songsInBackup(folder, name)).toMatchObject([{ id: 'song', job: 'Marsh Light' }]);
    expect(await listBackups(folder)).toMatchObject([{ name, at: at(1).toISOString() }]);
    expect(readdirSync(join(folder, 'backups'))).toEqual([name]);
    expect(await songsInBackup(folder, '../..')).toBeUndefined();
  });

  it('asked for many times at once is one', async () => {
    const all = await Promise.all(Array.from({ length: 8 }, () => makeBackup(folder, at(1))));
    expect(new Set(all.map((b) => b.name)).size).toBe(1);
    expect(await listBackups(folder)).toHaveLength(1);
    expect(await songsInBackup(folder, all[0]!.name)).toHaveLength(1);
  });

  it('that was broken off is none', async () => {
    mkdirSync(join(folder, 'backups', '2026-01-01T00-00-00Z'), { recursive: true });
    writeFileSync(join(folder, 'backups', '2026-01-01T00-00-00Z', '.unfinished'), 'half');
    expect(await listBackups(folder)).toEqual([]);
  });

  it('gives a song back beside what there is, with what was played, and twice if it is asked twice', async () => {
    await openLayer(db, 'song', header({ partId: 'piano' }), 'new take');
    await addChunk(db, 'layer', 1, [{ at: 1, message: { type: 'noteOn', key: 60, velocity: 80 } }]);
    await closeLayer(db, 'layer', { range: { from: 0, to: 3840 }, clears: [] });
    const made = change(song, {
      type: 'record',
      at: 'now',
      result: {
        passId: 'p',
        mode: 'new take',
        layers: [
          { header: header({ partId: 'piano' }), closing: { range: { from: 0, to: 3840 }, clears: [] }, notes: 1 },
        ],
      },
    });
    const { patches, inverse } = made;
    await changeSong(
      db,
      'song',
      { id: null, base: 0, after: null, kind: 'do', name: 'record', patches, inverse },
      'now',
    );
    const { name } = await makeBackup(folder, at(1));
    await retitle('Ruined');
    for (const copy of ['one', 'another']) {
      const id = (await bringBackSong(db, folder, name, 'song', newId, at(2)))!;
      const back = (await readSong(db, id))!;
      expect(back.document.title, copy).toBe('Lamps (as of 2026-01-01 01:00)');
      expect(back.document.parts[0]!.takes).toHaveLength(made.document.parts[0]!.takes.length);
      expect((await readLayers(db, id)).map((l) => l.events.length)).toEqual([1]);
    }
    expect((await readSong(db, 'song'))!.document.title).toBe('Ruined');
    expect(await bringBackSong(db, folder, name, 'no song', newId, at(2))).toBeUndefined();
  });

  it('gives back the whole', async () => {
    const { name } = await makeBackup(folder, at(1));
    await retitle('Ruined');
    await addSong(db, 'second', 'job', song);
    await db.destroy();
    await putBack(folder, name);
    db = await openDatabase(folder);
    expect(await titles(db)).toEqual(['Lamps']);
  });

  it('goes when it has outlived its time', async () => {
    for (let n = 1; n <= 30; n += 1) {
      await retitle(`Title ${n}`);
      // The day's clock goes back at the end of the day, and comes to the same hours twice.
      await makeBackup(folder, at(n % 20));
    }
    await thinBackups(folder);
    expect((await listBackups(folder)).map((b) => b.order)).toEqual(Array.from({ length: 24 }, (_, i) => 30 - i));
  });

  it('is made as an hour has gone by and something was changed, whatever the day’s clock says', async () => {
    const HOUR = 3_600_000;
    const jumps = fc.constantFrom(0, HOUR, 24 * HOUR, 366 * 24 * HOUR);
    const steps = fc.array(fc.tuple(fc.boolean(), fc.integer({ min: 1, max: 90 }), jumps, fc.boolean()), {
      minLength: 5,
      maxLength: 25,
    });
    await fc.assert(
      fc.asyncProperty(steps, async (all) => {
        rmSync(join(folder, 'backups'), { recursive: true, force: true });
        const schedule = new BackupSchedule(folder, () => Promise.resolve(db), HOUR);
        let [now, day, made] = [0, Date.UTC(2026, 9, 25), -Infinity];
        let due = true;
        for (const [changes, minutes, jump, isBack] of all) {
          now += minutes * 60_000;
          day += minutes * 60_000 + (isBack ? -jump : jump);
          if (changes) await retitle(`At ${now} ${day}`);
          due ||= changes;
          const before = (await listBackups(folder))[0]?.order ?? 0;
          await schedule.look(now, new Date(day));
          const after = (await listBackups(folder))[0]?.order ?? 0;
          expect(after - before).toBe(due && now - made >= HOUR ? 1 : 0);
          if (after > before) [made, due] = [now, false];
        }
        // Nothing that was changed waits for longer than an hour, and no more lie there than are worth keeping.
        expect((await listBackups(folder)).length).toBeLessThan(64);
      }),
      { numRuns: Number(process.env.WORLDS ?? 10) },
    );
  }, 300_000);

  it('to another folder is a data folder of its own, and copies each file of audio once', async () => {
    mkdirSync(join(folder, 'audio'));
    writeFileSync(join(folder, 'audio', 'a'.repeat(64)), 'sound');
    writeFileSync(join(folder, 'audio', '.half'), 'half');
    const to = join(folder, 'elsewhere');
    expect(await backUpTo(folder, to)).toBe(1);
    await retitle('Later');
    expect(await backUpTo(folder, to)).toBe(0);
    const other = await openDatabase(to);
    expect(await titles(other)).toEqual(['Later']);
    await other.destroy();
    expect(existsSync(join(to, 'audio', '.half'))).toBe(false);
  });
});

describe('what lies on the disk', () => {
  it('is added up, with what no song mentions, in any of its states', async () => {
    const [used, undone, lost] = ['a', 'b', 'c'].map((c) => c.repeat(64)) as [string, string, string];
    mkdirSync(join(folder, 'audio'));
    for (const hash of [used, undone, lost]) writeFileSync(join(folder, 'audio', hash), 'x'.repeat(10));
    const backing = (id: string, audio: string) => newBacking({ id, name: id, audio, length: 1 });
    let now = song;
    for (const [i, audio] of [used, undone].entries()) {
      const made = change(now, { type: 'add backing', backing: backing(`b${i}`, audio) });
      now = made.document;
      const { patches, inverse } = made;
      await changeSong(
        db,
        'song',
        { id: null, base: i, after: null, kind: 'do', name: 'add backing', patches, inverse },
        'now',
      );
    }
    await makeBackup(folder, at(1));
    const use = await diskUse(db, folder);
    expect(use.audio).toEqual({ files: 3, bytes: 30 });
    expect(use.unused).toEqual({ files: 1, bytes: 10 });
    expect(use.backups.count).toBe(1);
    expect(use.database).toBeGreaterThan(0);
    expect(use.free).toBeGreaterThan(0);
  });
});
