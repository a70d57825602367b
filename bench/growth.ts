import { newPart, type Part } from '../core/document/part';
import { newTake, type Take } from '../core/document/take';
import { newSong, type SongDocument } from '../core/document/document';
import { mapsOf } from '../core/document/maps';
import { changedSince } from '../core/handover/changed';
import { keepRolled } from '../core/lookback/keep';
import type { BufferedEvent } from '../core/lookback/buffer';
import { joinsOf } from '../core/picking/joins';
import { EVERYTHING } from '../core/recording/inputRoutes';
import { readerOf, readPart } from '../core/reading/reading';
import type { Edit } from '../core/takes/edits';
import type { Layer, LayerEvent } from '../core/takes/layer';
import { header } from '../core/testing/arbitraries';
import type { Treatment } from '../core/timing/treatments';
import { treat } from '../core/timing/treatment';
import { quantile, under, type Figure } from './figure';

const AREA = 'growth';
const placement = { policy: 'heard', nudge: 0 } as const;
const APART = 0.25;

function layer(id: string, notes: number): Layer {
  const range = { from: 0, to: notes * 960 };
  const events = Array.from({ length: notes }, (_, i): LayerEvent[] => {
    const key = 50 + ((i * 7) % 30);
    return [
      { at: i * APART, message: { type: 'noteOn', key, velocity: 80 } },
      { at: (i + 1.5) * APART, message: { type: 'noteOff', key, velocity: 64 } },
    ];
  }).flat();
  events.sort((a, b) => a.at - b.at);
  return { header: header({ id, planned: range }), closing: { range, clears: [] }, events };
}

interface World {
  readonly song: SongDocument;
  readonly part: Part;
  readonly layers: ReadonlyMap<string, Layer>;
}

/** Part of two takes that are picked alternately in some number of pieces. */
function pieced(pieces: number): World {
  const notes = 8 * pieces;
  const layers = new Map(['a', 'b'].map((id) => [id, layer(id, notes)]));
  const range = { from: 0, to: notes * 960 };
  const takes = ['a', 'b'].map((id, i): Take =>
    newTake({ id: `take ${id}`, number: i + 1, layers: [id], ...range, placement, at: '' }),
  );
  const piece = (notes * APART * 1600) / pieces;
  const comp = Array.from({ length: pieces }, (_, i) => ({
    from: Math.round(i * piece),
    to: Math.round((i + 1) * piece),
    takeId: i % 2 ? 'take a' : 'take b',
  }));
  const part = { ...newPart({ id: 'p', name: 'Piano' }, 0), takes, comp };
  const bars = Math.ceil((notes * APART * 1600) / 3840) + 1;
  return { part, layers, song: { ...newSong('Low Tide', 'p'), bars, parts: [part] } };
}

/** Median of some runs, in milliseconds. @param prepare untimed preparation of each run */
function time<T>(prepare: () => T, run: (of: T) => unknown): number {
  return quantile(
    [0, 1, 2, 3, 4].map(() => {
      const of = prepare();
      const began = performance.now();
      run(of);
      return performance.now() - began;
    }),
    0.5,
  );
}

/** Reads both takes before the timing. */
function opened({ part, layers, song }: World) {
  const reader = readerOf(layers, song.clocks);
  for (const take of part.takes) reader.read(take);
  const takes = new Map(part.takes.map((t) => [t.id, t]));
  return { reader, maps: mapsOf(song), read: (id: string) => reader.read(takes.get(id)!) };
}

function pieces(count: number) {
  const world = pieced(count);
  const { part, song, layers } = world;
  const changed = { ...song, parts: [{ ...part, comp: part.comp.slice(0, -1) }] };
  return {
    line: time(
      () => opened(world),
      ({ reader }) => readPart(part, reader.read),
    ),
    joins: time(
      () => opened(world),
      ({ read, maps }) => joinsOf(part, read, maps.tempo, maps.meter),
    ),
    changed: time(
      () => opened(world),
      ({ reader }) =>
        changedSince([{ number: 1, document: changed, parts: [part.id] }], song, song.parts, layers, reader),
    ),
  };
}

function drawn(count: number): number {
  const { part, layers } = pieced(100);
  const edits = Array.from({ length: count }, (_, i): Edit => ({
    ...{ op: 'draw', lane: 'control 11', from: i * 100, to: i * 100 + 100, points: [[i * 100, i % 127]] },
  }));
  return time(
    () => ({ ...part.takes[0]!, edits }),
    (take) => readerOf(layers, []).edited(take),
  );
}

function treated(count: number): number {
  const { part, layers, song } = pieced(count * 3);
  const maps = mapsOf(song);
  const { notes } = readerOf(layers, []).read(part.takes[0]!);
  const treatments = Array.from({ length: count }, (_, i): Treatment => ({
    ...{ id: `t${i}`, from: 0, to: 1e8, grid: '16 straight', strength: 1, ends: 'keep length' },
    notes: { a: `${i * 20}-${i * 20 + 3}` },
  }));
  return time(
    () => [...notes],
    (own) => treat({ notes: own, controls: [] }, treatments, maps),
  );
}

/** Half an hour of playing without a rest in a loop of two seconds, or a share of it. */
function kept(count: number): number {
  const song = { ...newSong('Low Tide', 'piano'), bars: 40 };
  const events = Array.from({ length: count }, (_, i): BufferedEvent[] => {
    const [at, key] = [i / 5, 40 + ((i * 7) % 30)];
    const event = (seq: number, later: number, message: BufferedEvent['message']): BufferedEvent => ({
      ...{ seq, wall: (at + later) * 1000, port: 'x', message, listening: 1, place: { roll: 'r', at: at + later } },
    });
    return [
      event(2 * i, 0.01, { type: 'noteOn', key, velocity: 80 }),
      event(2 * i + 1, 0.1, { type: 'noteOff', key, velocity: 64 }),
    ];
  }).flat();
  const roll = { id: 'r', song: 's', tempo: song.tempo, loop: { from: 0, to: 2.4 } };
  return time(
    () => 0,
    (first) => {
      let n = first;
      const { layers } = keepRolled(
        {
          passage: {
            roll: { ...roll, latency: { output: 0, input: 0 }, speed: 1 },
            ...{ song: 's', events, notes: count, fresh: true },
          },
          ...{ before: [], maps: mapsOf(song), tempo: song.tempo, mode: 'new take', laps: 'a new take each' },
          listenings: new Map([[1, { id: 1, song: 's', parts: [{ part: 'piano', ear: EVERYTHING }] }]]),
          placements: new Map([['piano', placement]]),
          ...{ early: 240, gap: 960, newId: () => `id ${(n += 1)}`, at: '' },
        },
        -Infinity,
        count / 5,
      );
      if (layers.length < count / 13) throw new Error('Not every lap was kept.');
    },
  );
}

/** Figures of work that must grow linearly, at sizes of a long session. */
export function growthFigures(): Promise<Figure[]> {
  // A quarter of it runs first, as a warm-up; all before the heap is full of what the other figures need.
  const quarter = kept(2250);
  const whole = kept(9000);
  const selected = treated(400);
  const all = pieces(1000);
  const rows: readonly (readonly [name: string, ms: number])[] = [
    ['1,000 pieces of 8,000 notes, the line', all.line],
    ['1,000 pieces of 8,000 notes, the joins', all.joins],
    ['1,000 pieces of 8,000 notes, what changed', all.changed],
    ['1,600 controllers drawn by hand, read', drawn(1600)],
    ['400 treatments of selected notes', selected],
    ['half an hour without a rest in a loop of two seconds, kept', whole],
  ];
  return Promise.resolve([
    ...rows.map(([name, ms]) => under(AREA, name, ms, 'ms', 100)),
    under(AREA, 'the same loop, against a quarter of it', whole / quarter, 'times', 7),
  ]);
}
