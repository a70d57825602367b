import { describe, expect, it } from 'vitest';
import { EVERYTHING } from '../recording/inputRoutes';
import { header } from '../testing/arbitraries';
import type { BufferedEvent, Listening, Roll, Passage } from './buffer';
import { anyKeyDown, takenBy, withReleases } from './takenByPass';
import { agoWords, whereWords } from './words';
import { meterMap } from '../time/meter';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const LISTENINGS = new Map<number, Listening>([
  [1, { id: 1, song: 's', parts: [{ part: 'piano', ear: EVERYTHING }] }],
  [2, { id: 2, song: 's', parts: [] }],
]);
const event = (seq: number, at: number, on: boolean, over: Partial<BufferedEvent> = {}): BufferedEvent => ({
  seq,
  wall: 1e12 + at * 1000,
  port: 'bench',
  message: on ? { type: 'noteOn', key: 60, velocity: 80 } : { type: 'noteOff', key: 60, velocity: 64 },
  listening: 1,
  place: { roll: 'r', at },
  ...over,
});
const roll: Roll = {
  id: 'r',
  song: 's',
  tempo: [{ tick: 0, bpm: 120 }],
  loop: null,
  latency: { output: 0, input: 0 },
  speed: 1,
};
const passage = (events: readonly BufferedEvent[], over: Partial<Passage> = {}): Passage => ({
  events,
  roll,
  song: 's',
  notes: events.length,
  fresh: true,
  ...over,
});

describe('what a pass takes of what is held', () => {
  const own = header({ partId: 'piano', early: 240, planned: { from: 3840, to: 7680 } });
  const closing = { range: { from: 3840, to: 7680 }, clears: [] };
  const result = { passId: 'p', mode: 'new take', layers: [{ header: own, closing, notes: 1 }] } as const;

  it('is what its parts heard in its range and just ahead of it, in its roll', () => {
    const events = [
      event(1, 1.8, true),
      event(2, 1.9, true),
      event(3, 3.9, true),
      event(4, 4, true),
      event(5, 3, true, { listening: 2 }),
      event(6, 3, true, { place: { roll: 'other', at: 3 } }),
      event(7, 3, true, { place: null }),
    ];
    expect(takenBy(result, 'r', events, LISTENINGS).map((e) => e.seq)).toEqual([2, 3]);
  });

  it('of a lap lies as far on as the lap does', () => {
    const lap = { ...result, frame: 2 };
    expect(takenBy(lap, 'r', [event(1, 3, true), event(2, 5, true)], LISTENINGS).map((e) => e.seq)).toEqual([2]);
  });

  it('is nothing where nothing was played', () => {
    const silent = { ...result, layers: [{ ...result.layers[0], notes: 0 }] };
    expect(takenBy(silent, 'r', [event(1, 3, true)], LISTENINGS)).toEqual([]);
  });
});

describe('a passage with keys down', () => {
  const held = passage([event(1, 3, true)]);

  it('has the releases that came since, and nothing that was struck since', () => {
    expect(anyKeyDown([held])).toBe(true);
    const since = [event(1, 3, true), event(2, 3.5, true, { port: 'other' }), event(3, 4, false)];
    const [with_] = withReleases([held], since);
    expect(with_!.events.map((e) => e.seq)).toEqual([1, 3]);
    expect(anyKeyDown([with_!])).toBe(false);
  });

  it('is as it was when none came, and of nothing nothing comes', () => {
    const all = [held];
    expect(withReleases(all, [event(1, 3, true)])).toBe(all);
    expect(withReleases([], [])).toEqual([]);
    expect(anyKeyDown([])).toBe(false);
  });
});

describe('a passage in words', () => {
  it('tells how long ago', () => {
    const at = (seconds: number) => agoWords(passage([event(1, 0, true)]), 1e12 + seconds * 1000);
    expect([5, 120, 3 * 3600].map(at)).toEqual(['5 s ago', '2 min ago', '3 h ago']);
    expect(at(-5)).toBe('0 s ago');
  });

  it('tells where', () => {
    expect(whereWords(passage([event(1, 2.1, true)]), meter)).toBe('bar 2');
    expect(whereWords(passage([event(1, 0, true), event(2, 6.5, true)]), meter)).toBe('bars 1–4');
    const looped = passage([event(1, 8.5, true)], { roll: { ...roll, loop: { from: 2, to: 4 } } });
    expect(whereWords(looped, meter)).toBe('bar 2, in a loop');
    expect(whereWords(passage([event(1, 0, true), event(2, 7, false)], { roll: null }), meter)).toBe(
      'nothing rolling, 7 s',
    );
  });
});
