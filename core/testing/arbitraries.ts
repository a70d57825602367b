/** Random music for property tests. Not part of the program. */
import fc from 'fast-check';
import type { KeyMessage } from '../performance/messages';
import type { Layer, LayerEvent, LayerHeader } from '../takes/layer';
import type { MeterChange } from '../time/meter';
import type { TempoChange } from '../time/tempo';
import type { TickRange } from '../time/units';
import type { Note, Reading } from '../performance/notes';
import type { TransposedFrom } from '../document/transposition';
import { real } from './realNumbers';

export const tempoChanges = (most = 12): fc.Arbitrary<TempoChange[]> =>
  fc.array(
    fc.record({
      tick: fc.integer({ min: 0, max: 400_000 }),
      bpm: real(30, 300),
      ramp: fc.constantFrom('jump' as const, 'linear' as const),
    }),
    { minLength: 1, maxLength: most },
  );

export const meterChanges: fc.Arbitrary<MeterChange[]> = fc
  .uniqueArray(
    fc.record({
      bar: fc.integer({ min: 2, max: 60 }),
      beats: fc.integer({ min: 1, max: 13 }),
      unit: fc.constantFrom(2, 4, 8, 16),
    }),
    { maxLength: 6, selector: (m) => m.bar },
  )
  .map((more) => [{ bar: 1, beats: 4, unit: 4 }, ...more].sort((a, b) => a.bar - b.bar));

const value = fc.integer({ min: 0, max: 127 });

export const messages: fc.Arbitrary<KeyMessage> = fc.oneof(
  {
    weight: 5,
    arbitrary: fc.record({
      type: fc.constant('noteOn' as const),
      key: fc.integer({ min: 55, max: 65 }),
      velocity: fc.integer({ min: 1, max: 127 }),
    }),
  },
  {
    weight: 5,
    arbitrary: fc.record({
      type: fc.constant('noteOff' as const),
      key: fc.integer({ min: 55, max: 65 }),
      velocity: value,
    }),
  },
  {
    weight: 2,
    arbitrary: fc.record({ type: fc.constant('control' as const), controller: fc.constantFrom(1, 11, 64), value }),
  },
  fc.record({ type: fc.constant('bend' as const), value: fc.integer({ min: 0, max: 16383 }) }),
);

/** Events in time order, from `from` to `to` seconds. */
export const layerEvents = (from = -4, to = 40): fc.Arbitrary<LayerEvent[]> =>
  fc
    .array(fc.record({ at: real(from, to), message: messages }), { maxLength: 60 })
    .map((events) => events.sort((a, b) => a.at - b.at));

export const ranges = (most = 40_000): fc.Arbitrary<TickRange> =>
  fc
    .tuple(fc.integer({ min: 0, max: most }), fc.integer({ min: 1, max: most }))
    .map(([from, length]) => ({ from, to: from + length }));

export const header = (over: Partial<LayerHeader> = {}): LayerHeader => ({
  id: 'layer',
  partId: 'part',
  passId: 'pass',
  takeId: 'take',
  source: 'pass',
  from: 'Bench keyboard',
  startedAt: '2026-01-01T00:00:00.000Z',
  tempo: [{ tick: 0, bpm: 120 }],
  latency: { output: 0, input: 0 },
  placement: { policy: 'heard', nudge: 0 },
  planned: { from: 0, to: 40_000 },
  early: 240,
  quantize: null,
  ...over,
});

export const layers = (id: string): fc.Arbitrary<Layer> =>
  fc.record({ events: layerEvents(), range: ranges(), clearing: fc.boolean() }).map(({ events, range, clearing }) => ({
    header: header({ id }),
    events,
    closing: { range, clears: clearing ? [range] : [] },
  }));

export const notes: fc.Arbitrary<Note[]> = fc
  .array(
    fc.record({
      key: fc.integer({ min: 58, max: 62 }),
      start: fc.integer({ min: 0, max: 30_000 }),
      length: fc.integer({ min: 1, max: 3000 }),
      velocity: fc.integer({ min: 1, max: 127 }),
    }),
    { maxLength: 40 },
  )
  .map((rows) =>
    rows
      .map(({ key, start, length, velocity }, i) => ({
        id: `n${i}`,
        key,
        velocity,
        release: 64,
        start,
        end: start + length,
      }))
      .sort((a, b) => a.start - b.start),
  );

export const reading = (of: readonly Note[]): Reading => ({ notes: of, controls: [] });

/** Transpositions of a song of some twenty bars. */
export const transpositions: fc.Arbitrary<TransposedFrom[]> = fc
  .uniqueArray(fc.record({ bar: fc.integer({ min: 1, max: 20 }), semitones: fc.integer({ min: -12, max: 12 }) }), {
    maxLength: 4,
    selector: (t) => t.bar,
  })
  .map((all) => all.sort((a, b) => a.bar - b.bar));
