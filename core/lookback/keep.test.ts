import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { performances } from '../testing/playing';
import { valuesBefore } from '../performance/controls';
import { EVERYTHING } from '../recording/inputRoutes';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { readLayer } from '../takes/layer';
import { controlsBefore, EMPTY_BUFFER, offered, type LookBackBuffer, type BufferedEvent, type Roll } from './buffer';
import { passagesIn } from './passages';
import { keepFree, keepRolled, type KeepFacts } from './keep';
import { onSongTempo, phraseRange } from './phrasePlacement';
import { readPlaying } from './playing';

/** A bar is two seconds. */
const song = { ...newSong('x', 'piano'), bars: 400, tempo: [{ tick: 0, bpm: 120 }] };
const maps = mapsOf(song);
const roll = (over: Partial<Roll> = {}): Roll => ({
  id: 'r',
  song: 's',
  tempo: song.tempo,
  loop: null,
  latency: { output: 0, input: 0 },
  speed: 1,
  ...over,
});
const NOBODY = { id: 0, song: 's', parts: [] };
const PIANO = { id: 1, song: 's', parts: [{ part: 'piano', ear: EVERYTHING }] };
const ORGAN = { id: 2, song: 's', parts: [{ part: 'organ', ear: EVERYTHING }] };
type Sent = readonly [at: number, key: number, on: boolean, over?: Partial<BufferedEvent>];
const heldOf = (sent: readonly Sent[], rolls = true, over: Partial<Roll> = {}): LookBackBuffer => ({
  ...EMPTY_BUFFER,
  listenings: new Map([NOBODY, PIANO, ORGAN].map((l) => [l.id, l])),
  rolls: new Map([['r', roll(over)]]),
  events: sent.map(([at, key, on, more], i): BufferedEvent => ({
    seq: i + 1,
    wall: at * 1000,
    port: 'x',
    message: on ? { type: 'noteOn', key, velocity: 80 } : { type: 'noteOff', key, velocity: 64 },
    listening: 1,
    place: rolls ? { roll: 'r', at } : null,
    ...more,
  })),
});
const factsOf = (held: LookBackBuffer, over: Partial<KeepFacts> = {}): KeepFacts => {
  let n = 0;
  const passage = passagesIn(held, () => true).at(-1)!;
  const placement = { policy: 'heard', nudge: 0 } as const;
  return {
    passage,
    before: controlsBefore(held.events, passage.events[0]!.seq),
    listenings: held.listenings,
    maps,
    tempo: song.tempo,
    placements: new Map([
      ['piano', placement],
      ['organ', placement],
    ]),
    mode: 'new take',
    laps: 'a new take each',
    early: 240,
    gap: 960,
    newId: () => `id ${n++}`,
    at: '2026-01-01T00:00:00.000Z',
    ...over,
  };
};
const notes = (kept: ReturnType<typeof keepRolled>) =>
  kept.layers.flatMap(({ layer }) =>
    readLayer(layer, layer.header.placement).notes.map((n) => [
      n.key,
      Math.round(n.start) / 960,
      Math.round(n.end) / 960,
    ]),
  );
const pedal = (value: number): Partial<BufferedEvent> => ({ message: { type: 'control', controller: 64, value } });

describe('a keep', () => {
  it('begins with the first note that somebody heard, whoever heard nothing before it', () => {
    const held = heldOf([
      [4, 60, true, { listening: 0 }],
      [4.2, 60, false, { listening: 0 }],
      [5, 64, true],
      [5.2, 64, false],
    ]);
    expect(notes(keepRolled(factsOf(held), -Infinity, 7))).toEqual([[64, 10, 10.4]]);
    const gone = heldOf([
      [4, 60, true, { listening: 2 }],
      [4.2, 60, false, { listening: 2 }],
      [5, 64, true],
      [5.2, 64, false],
    ]);
    expect(
      notes(
        keepRolled(factsOf(gone, { placements: new Map([['piano', { policy: 'heard', nudge: 0 }]]) }), -Infinity, 7),
      ),
    ).toEqual([[64, 10, 10.4]]);
  });

  it('has what is still held ring to where it is now, on a bar line and just ahead of one', () => {
    expect(
      notes(
        keepRolled(
          factsOf(
            heldOf([
              [5, 60, true],
              [5.5, 60, false],
              [5.99, 64, true],
            ]),
          ),
          -Infinity,
          8.5,
        ),
      ),
    ).toEqual(
      [
        [60, 10, 11],
        [64, 11.98, 17],
      ].map(([k, a, b]) => [k, Math.round(a! * 960) / 960, b]),
    );
    expect(
      notes(
        keepRolled(
          factsOf(
            heldOf([
              [5, 60, true],
              [5.5, 60, false],
              [6, 64, true],
            ]),
          ),
          -Infinity,
          8.5,
        ),
      ),
    ).toEqual([
      [60, 10, 11],
      [64, 12, 17],
    ]);
  });

  it('knows the controllers that were set before it, rolled or not', () => {
    const before: Sent = [1, 0, true, { ...pedal(127), seq: 0 }];
    const taken: LookBackBuffer = heldOf([
      [1.2, 50, true],
      [1.4, 50, false],
      [5, 60, true],
      [5.5, 60, false],
    ]);
    const held: LookBackBuffer = {
      ...taken,
      events: [heldOf([before]).events[0]!, ...taken.events].map((e, i) => ({ ...e, seq: i + 1 })),
      takings: [{ by: 'pass', from: 1, to: 3 }],
    };
    const { layers } = keepRolled(factsOf(held), -Infinity, 7);
    expect(
      valuesBefore(readLayer(layers[0]!.layer, layers[0]!.layer.header.placement).controls, 10 * 960).get('control 64')
        ?.value,
    ).toBe(127);
    const free: LookBackBuffer = { ...held, events: held.events.map((e) => ({ ...e, place: null })) };
    const kept = keepFree(factsOf(free), (wall) => (wall - 5) * 1920, { from: 0, to: 3840 });
    expect(
      valuesBefore(readLayer(kept.layers[0]!.layer, kept.layers[0]!.layer.header.placement).controls, 10).get(
        'control 64',
      )?.value,
    ).toBe(127);
  });

  it('of a change of part with a latency has the new part’s first note where it belongs', () => {
    const late = { latency: { output: 0.05, input: 0 } };
    const played = { policy: 'played' as const, nudge: 0 };
    const held = heldOf(
      [
        [4.05, 60, true],
        [4.3, 60, false],
        [5.05, 64, true, { listening: 2 }],
        [5.3, 64, false, { listening: 2 }],
      ],
      true,
      late,
    );
    const kept = keepRolled(
      factsOf(held, {
        early: 0,
        placements: new Map([
          ['piano', played],
          ['organ', played],
        ]),
      }),
      -Infinity,
      7,
    );
    expect(notes(kept).map(([k, start]) => [k, start])).toEqual([
      [60, 8],
      [64, 10],
    ]);
  });

  it('of a loop that went round for hours costs and leaves the laps that were played in', () => {
    const held = heldOf(
      [
        [0.5, 60, true],
        [0.8, 60, false],
        [14_400.5, 64, true],
        [14_400.8, 64, false],
      ],
      true,
      { loop: { from: 0, to: 2 } },
    );
    const kept = keepRolled(factsOf(held), -Infinity, 14_401);
    expect(kept.layers).toHaveLength(2);
    expect(notes(kept)).toEqual([
      [60, 1, 1.6],
      [64, 1, 1.6],
    ]);
  });
});

describe('a phrase that was played with nothing rolling', () => {
  it('is one as long as keys are held, and ends with silence', () => {
    const pads = heldOf(
      [0, 7.5, 15].flatMap((at): Sent[] => [
        [at, 48, true],
        [at, 55, true],
        [at + 7, 48, false],
        [at + 7, 55, false],
      ]),
      false,
    );
    expect(passagesIn(pads, () => true)).toHaveLength(1);
    const apart = heldOf(
      [0, 14].flatMap((at): Sent[] => [
        [at, 48, true],
        [at + 7, 48, false],
      ]),
      false,
    );
    expect(passagesIn(apart, () => true)).toHaveLength(2);
    expect(
      offered(
        passagesIn(apart, () => true),
        's',
      ).free?.notes,
    ).toBe(1);
  });

  it('loses no first note, whatever the allowance', () => {
    for (const [i, p] of performances(120, 77).entries()) {
      const sent = p.notes
        .flatMap((n): Sent[] => [
          [n.start, n.key, true],
          [n.end, n.key, false],
        ])
        .sort((a, b) => a[0] - b[0]);
      const held = heldOf(sent, false);
      const [reading] = readPlaying(p.notes);
      if (!reading) continue;
      const tickOf = onSongTempo(reading, 3840, i % 2 === 0);
      const last = Math.max(...p.notes.map((n) => n.end));
      const kept = keepFree(factsOf(held, { early: 0 }), tickOf, phraseRange(3840, tickOf(last), maps.meter));
      expect(notes(kept)).toHaveLength(p.notes.length);
    }
  });
});

describe('time taken', () => {
  it('grows with what was played, and not with its square', () => {
    const phrase = (count: number) =>
      Array.from({ length: count }, (_, i) => ({
        key: 48 + (i % 12),
        velocity: 60 + (i % 40),
        start: i * 0.25,
        end: i * 0.25 + 0.2,
      }));
    // Counted, not timed: every note is looked at a bounded number of times.
    let looks = 0;
    const counted = phrase(3200).map((n) =>
      Object.defineProperty({ ...n }, 'velocity', {
        get: () => {
          looks += 1;
          return 70;
        },
      }),
    );
    readPlaying(counted);
    expect(looks).toBeLessThan(3200 * 10);
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 60 }), (count) => {
        expect(readPlaying(phrase(count)).length).toBeGreaterThan(0);
      }),
      { numRuns: 20 },
    );
  });
});
