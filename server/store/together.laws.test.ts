import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newSong } from '../../core/document/document';
import { USUAL_DELIVERY } from '../../core/handover/delivery';
import { PLAIN_KEYBOARD } from '../../core/performance/keyboard';
import { USUAL } from '../../core/timing/recipe';
import { change } from '../../core/song/changes';
import { header } from '../../core/testing/arbitraries';
import { copyJob, copySongOf } from './copies';
import { openDatabase, type Database } from './database';
import { changeDevice, readDevices } from './devices';
import { addJob, setJob, shelve } from './jobs';
import { forgetNamed, keepNamed, readKept } from './kept';
import { addChunk, closeLayer, markTaken, openLayer, readLayers } from './layers';
import { addPiece, closeRecording, openRecording, openRecordingsOf, recordingsNamed } from './recordings';
import { addSong, changeSong, readSong } from './songs';
import { addVersion, changeDelivery, readVersions } from './versions';

const NOW = '2026-01-01T00:00:00.000Z';
const ROUNDS = Number(process.env.WORLDS ?? 3);
/** A round of each against each, on a machine that is busy with much else. */
const LONGEST_ROUND_MS = 200_000;
const song = newSong('Lamps', 'piano');

/** Everything that two requests may do at once to one song, its layer, its recording and its job. */
interface World {
  readonly db: Database;
  readonly folder: string;
  /** The song's name: each round has a song of its own. */
  readonly id: string;
}
type Act = (world: World, newId: () => string) => Promise<unknown>;
const chunk =
  (n: number): Act =>
  async ({ db, id }) =>
    addChunk(db, `${id} layer`, n, [{ at: n, message: { type: 'noteOn', key: 60 + n, velocity: 80 } }]);
const changed =
  (bars: number): Act =>
  async ({ db, id }) => {
    const { patches, inverse } = change(song, { type: 'set length', bars });
    const row = {
      id: `${id} ${bars}`,
      base: 0,
      after: null,
      kind: 'do' as const,
      name: 'set length',
      patches,
      inverse,
    };
    return (await changeSong(db, id, row, NOW)).type;
  };
const RANGE = { range: { from: 0, to: 3840 }, clears: [] };
const piece =
  (n: number): Act =>
  ({ db, folder, id }) =>
    addPiece(db, folder, `${id}-sound`, n, n * 10, new Uint8Array(new Float32Array(10).fill(n).buffer));
const FACTS = { zero: 0, rate: 1000, channels: 1, from: 'x' };
const ACTS: Readonly<Record<string, Act>> = {
  'open layer': ({ db, id }) => openLayer(db, id, header({ id: `${id} layer`, partId: 'piano' }), 'new take'),
  'add chunk 1': chunk(1),
  'add chunk 2': chunk(2),
  'close layer': ({ db, id }) => closeLayer(db, `${id} layer`, RANGE),
  'mark taken': ({ db, id }) => markTaken(db, id),
  'change to 9 bars': changed(9),
  'change to 10 bars': changed(10),
  'open recording': ({ db, id }) => openRecording(db, id, `${id}-sound`, FACTS, null, NOW),
  'add piece 1': piece(1),
  'add piece 2': piece(2),
  'close recording': ({ db, folder, id }) =>
    closeRecording(db, folder, `${id}-sound`, { by: null, last: null, now: Infinity }),
  'add version': ({ db, id }) =>
    addVersion(db, id, {
      ...{ number: 1, at: NOW, document: song, delivery: USUAL_DELIVERY, job: { title: 'x', client: '' } },
      ...{ parts: [], changed: null, onlyChanged: false, files: [] },
    }),
  'add song': ({ db, id }, newId) => addSong(db, newId(), `${id} job`, song),
  'copy song': ({ db, id }, newId) => copySongOf(db, id, newId),
  'copy job': ({ db, id }, newId) => copyJob(db, `${id} job`, newId, NOW),
  'set job': ({ db, id }) => setJob(db, `${id} job`, { notes: 'dry' }),
  shelve: ({ db, id }) => shelve(db, 'songs', id, 'away', NOW),
  'choose delivery': ({ db, id }) => changeDelivery(db, `${id} job`, { midi: 'apart' }),
  'keep by name': ({ db, id }) => keepNamed(db, 'recipes', { name: id.slice(0, 30), value: USUAL }),
  'change keyboard': ({ db, id }) => changeDevice(db, id, (before) => ({ ...(before ?? PLAIN_KEYBOARD), on: true })),
};
const NAMES = Object.keys(ACTS);

/** Rounds in one database: what reads all songs or keyboards gets slower with each. */
const ROUNDS_A_DATABASE = 200;
let db: Database;
let folder: string;
let made = 0;
let rounds = 0;
async function begin(): Promise<void> {
  rounds = 0;
  folder = mkdtempSync(join(tmpdir(), 'tall-kettle-together-'));
  db = await openDatabase(folder);
}
async function end(): Promise<void> {
  await db.destroy();
  rmSync(folder, { recursive: true, force: true });
}
beforeAll(begin);
afterAll(end);

async function world(): Promise<World> {
  rounds += 1;
  if (rounds > ROUNDS_A_DATABASE) {
    await end();
    await begin();
  }
  const id = `song-${(made += 1)}`;
  await addJob(db, { id: `${id} job`, title: id, client: '', due: null, notes: '' }, NOW);
  await addSong(db, id, `${id} job`, song);
  await openLayer(db, id, header({ id: `${id} layer`, partId: 'piano' }), 'new take');
  await addChunk(db, `${id} layer`, 0, [{ at: 0, message: { type: 'noteOn', key: 60, velocity: 80 } }]);
  await openRecording(db, id, `${id}-sound`, FACTS, null, NOW);
  await ACTS['add piece 1']!({ db, folder, id }, () => '');
  return { db, folder, id };
}

/** State of a round afterwards, by no name of its own. */
async function found({ id }: World): Promise<string> {
  const layers = (await readLayers(db, id)).map(({ header: h, closing, events, taken }) => [
    ...[h.id, closing, events, taken],
  ]);
  const { revision, document } = (await readSong(db, id))!;
  const recordings = (await recordingsNamed(db, [`${id}-sound`])).map((r) => [r.first, r.frames]);
  const open = (await openRecordingsOf(db, id)).map((r) => r.end);
  const songs = (
    await db('songs')
      .where({ job_id: `${id} job` })
      .orderBy('position')
  ).map((r) => [...[r.position, JSON.parse(r.document).title, r.away_at]]);
  const job = await db('jobs')
    .where({ id: `${id} job` })
    .first('notes', 'delivery');
  const copies = (await db('jobs').where('title', 'like', `${id} %`)).length;
  const all = {
    ...{ layers, revision, bars: document.bars, recordings, open, songs, job, copies },
    ...{
      versions: (await readVersions(db, id)).length,
      kept: (await readKept(db, 'recipes')).some((k) => k.name === id),
    },
    device: (await readDevices(db))[id],
  };
  return JSON.stringify(all).replaceAll(id, '');
}

/** Outcome of two acts: what they answer and leave, done one after the other or at once. */
async function outcome(names: readonly string[], atOnce: boolean, isBack: boolean): Promise<string> {
  const own = await world();
  const newId = () => `${own.id} new ${(made += 1)}`;
  const acts = names.map((name) => () => ACTS[name]!(own, newId));
  const answers: unknown[] = [];
  const tell = (i: number) => async () => {
    answers[i] = await acts[i]!();
  };
  if (atOnce) await Promise.all(acts.map((_, i) => tell(i)()));
  else for (const i of isBack ? [1, 0] : [0, 1]) await tell(i)();
  const said = JSON.stringify(answers)
    .replaceAll(own.id, '')
    .replaceAll(/new \d+/g, 'new');
  const left = await found(own);
  // No more of one kind are kept than anybody finds again.
  await forgetNamed(db, 'recipes', own.id);
  return `${said} ${left}`;
}

describe('two requests at once', () => {
  it(
    'come to what one after the other comes to, each against each',
    async () => {
      for (const [i, a] of NAMES.entries())
        for (const b of NAMES.slice(i)) {
          const inTurn = [await outcome([a, b], false, false), await outcome([a, b], false, true)];
          for (let n = 0; n < ROUNDS; n += 1)
            expect(inTurn, `${a}, ${b}`).toContain(await outcome([a, b], true, false));
        }
    },
    ROUNDS * LONGEST_ROUND_MS,
  );
});
