import { offered, type LookBackBuffer, type BufferedEvent } from '../core/lookback/buffer';
import { passagesIn } from '../core/lookback/passages';
import { keepRolled } from '../core/lookback/keep';
import { readPlaying } from '../core/lookback/playing';
import { seeded } from '../core/random';
import { EVERYTHING } from '../core/recording/inputRoutes';
import { change } from '../core/song/changes';
import { newSong } from '../core/document/document';
import { mapsOf } from '../core/document/maps';
import { performances, STYLES } from '../core/testing/playing';
import { footplate, launch, open, withKeyboard } from '../harness/browser';
import { addSong, startServer } from '../harness/server';
import { atLeast, quantile, under, type Figure } from './figure';
import { sized, some } from './sizes';

/** Seeds on which the rules were not tried. */
const SEEDS = some([501, 502]);
const EACH = sized(200, 10);
const WITHIN = 0.02;
const HELD = sized(10_000, 1000);

function tempoFigures(): Figure[] {
  const all = SEEDS.flatMap((seed) => performances(EACH, seed));
  const rows = all.map((p) => {
    const began = performance.now();
    const readings = readPlaying(p.notes);
    const ms = performance.now() - began;
    const right = (bpm: number) => Math.abs(bpm / p.bpm - 1) < WITHIN;
    const [best] = readings;
    const downs = best ? best.beats.filter((_, i) => i % best.beatsPerBar === 0) : [];
    const one = downs.some((d) => Math.abs(d - p.one) < (0.25 * 60) / p.bpm);
    return {
      style: p.style,
      ms,
      first: Boolean(best && right(best.bpm)),
      offered: readings.some((r) => right(r.bpm)),
      one,
      whole: one && best!.beatsPerBar === p.beatsPerBar && right(best!.bpm),
    };
  });
  const share = (of: (r: (typeof rows)[number]) => boolean, style?: string) => {
    const those = rows.filter((r) => !style || r.style === style);
    return those.filter(of).length / those.length;
  };
  return [
    atLeast(
      'lookback',
      `tempo from playing, ${rows.length} performances: first reading within 2%`,
      share((r) => r.first),
      '',
      0.85,
    ),
    atLeast(
      'lookback',
      'the same: among the readings offered',
      share((r) => r.offered),
      '',
      0.97,
    ),
    atLeast(
      'lookback',
      'the same: a first beat of the first reading on the true one',
      share((r) => r.one),
      '',
      0.8,
    ),
    atLeast(
      'lookback',
      'the same: tempo, meter and first beat of the first reading all right',
      share((r) => r.whole),
      '',
      0.8,
    ),
    ...STYLES.map((style) =>
      atLeast(
        'lookback',
        `first reading within 2%, ${style}`,
        share((r) => r.first, style),
        '',
        0.8,
      ),
    ),
    under(
      'lookback',
      'time for one, longest but one in a hundred',
      quantile(
        rows.map((r) => r.ms),
        0.99,
      ),
      'ms',
      50,
    ),
  ];
}

/** Ten thousand notes played while a song rolled, kept as takes. */
function keepTime(): number {
  const random = seeded(3);
  const song = { ...newSong('x', 'piano'), bars: 2000 };
  const events: BufferedEvent[] = [];
  for (let i = 0; i < HELD; i += 1) {
    const at = 1 + i * 0.12;
    const key = random.integer(36, 96);
    // Fields are written out, as spread objects are slower to read.
    events.push(
      {
        seq: 2 * i,
        wall: at * 1000,
        port: 'x',
        message: { type: 'noteOn', key, velocity: 80 },
        listening: 1,
        place: { roll: 'r', at },
      },
      {
        seq: 2 * i + 1,
        wall: at * 1000 + 100,
        port: 'x',
        message: { type: 'noteOff', key, velocity: 64 },
        listening: 1,
        place: { roll: 'r', at: at + 0.1 },
      },
    );
  }
  const buffer: LookBackBuffer = {
    events,
    takings: [],
    listenings: new Map([[1, { id: 1, song: 's', parts: [{ part: 'piano', ear: EVERYTHING }] }]]),
    rolls: new Map([
      ['r', { id: 'r', song: 's', tempo: song.tempo, loop: null, latency: { output: 0, input: 0 }, speed: 1 }],
    ]),
  };
  const runs = [0, 1, 2, 3, 4].map(() => {
    let n = 0;
    const began = performance.now();
    const { rolled } = offered(
      passagesIn(buffer, () => true),
      's',
    );
    const kept = keepRolled(
      {
        passage: rolled[0]!,
        before: [],
        listenings: buffer.listenings,
        maps: mapsOf(song),
        tempo: song.tempo,
        placements: new Map([['piano', { policy: 'heard', nudge: 0 }]]),
        mode: 'new take',
        laps: 'a new take each',
        early: 240,
        gap: 960,
        newId: () => `id ${n++}`,
        at: '',
      },
      -Infinity,
      Infinity,
    );
    change(song, { type: 'keep', results: kept.results, at: '' });
    if (kept.results[0]!.layers[0]!.notes !== HELD) throw new Error('Not every note was kept.');
    return performance.now() - began;
  });
  if (passagesIn(buffer, () => true).length !== 1) throw new Error('One roll is one passage.');
  return quantile(runs, 0.5);
}

/** Growth of the time for four times as many freely played notes: linear is four. */
function growth(): number {
  const phrase = (count: number) =>
    Array.from({ length: count }, (_, i) => ({
      key: 40 + ((i * 7) % 40),
      velocity: 60 + (i % 40),
      start: i * 0.13 + (i % 7) * 0.004,
      end: i * 0.13 + 0.1,
    }));
  const time = (count: number): number => {
    const notes = phrase(count);
    const began = performance.now();
    readPlaying(notes);
    return performance.now() - began;
  };
  return quantile(
    [0, 1, 2].map(() => time(12_800) / time(3200)),
    0.5,
  );
}

/** Time of the screens' updates with half an hour of playing in 300 passages, about three times a second. */
function listTime(): number {
  const events = Array.from({ length: 40_000 }, (_, seq): BufferedEvent => ({
    seq,
    wall: seq * 45,
    port: 'bench',
    message: { type: seq % 2 ? 'noteOff' : 'noteOn', key: 60, velocity: 80 },
    listening: 1,
    place: { roll: `roll ${Math.floor(seq / 200)}`, at: seq },
  }));
  const buffer: LookBackBuffer = {
    events,
    takings: Array.from({ length: 300 }, (_, i) => ({ by: `pass ${i}`, from: i * 120, to: i * 120 + 60 })),
    rolls: new Map(),
    listenings: new Map([[1, { id: 1, song: 's', parts: [] }]]),
  };
  return quantile(
    [0, 1, 2, 3, 4].map(() => {
      const began = performance.now();
      offered(
        passagesIn(buffer, () => true),
        's',
      );
      return performance.now() - began;
    }),
    0.5,
  );
}

/** Cost of buffering to the page: the same flood with and without look-back's store. */
async function holdingCost(): Promise<number> {
  const server = await startServer();
  const browser = await launch();
  try {
    const id = await addSong(server.address);
    const { page } = await open(browser, server.address, `/songs/${id}/play`, withKeyboard);
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    // In a quiet song at rest, the remaining cost is the keyboard, the live voice and the strip.
    return (await page.evaluate(`(async () => {
      const { hold } = tallKettle.lookBack;
      const times = [];
      for (let run = 0; run < 10; run += 1) {
        const began = performance.now();
        for (let i = 0; i < 500; i += 1) {
          const type = i % 2 ? 'noteOff' : 'noteOn';
          hold('bench', { type, key: 60, velocity: 80 }, performance.now(), null);
        }
        await new Promise((done) => setTimeout(done, 0));
        times.push((performance.now() - began) / 500);
        await new Promise((done) => setTimeout(done, 250));
      }
      return times.sort((a, b) => a - b)[5];
    })()`)) as number;
  } finally {
    await browser.close();
    await server.end();
  }
}

export async function lookBackFigures(): Promise<Figure[]> {
  return [
    ...tempoFigures(),
    under('lookback', `keeping ${HELD} held notes, middle of 5`, keepTime(), 'ms', 100),
    under('lookback', '12,800 notes with nothing rolling against 3,200, middle of 3', growth(), 'times', 6),
    under(
      'lookback',
      'going through 40,000 held events, 300 passages of them in takes, middle of 5',
      listTime(),
      'ms',
      20,
    ),
    under(
      'lookback',
      'holding one event on the page’s thread, middle of 10 runs of 500',
      await holdingCost(),
      'ms',
      0.2,
    ),
  ];
}
