import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { performances, performed } from '../testing/playing';
import { layerEvents } from '../testing/arbitraries';
import { layersOf, run } from '../testing/passes';
import { change } from '../song/changes';
import { newPart } from '../document/part';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { EVERYTHING } from '../recording/ears';
import { planPass } from '../recording/plan';
import type { PassInput } from '../recording/state';
import { readLayer } from '../takes/layer';
import { secondsAt, tempoMap } from '../time/tempo';
import {
  KEEPS,
  EMPTY_BUFFER,
  offered,
  oldestWorthHolding,
  playingTime,
  passagesIn,
  taking,
  trimmed,
  type LookBackBuffer,
  type BufferedEvent,
  type Roll,
} from './buffer';
import { keepFree, keepRolled, type KeepFacts } from './keep';
import { beatAt, inFreeTime, onSongTempo, phraseRange, tempoOfPhrase } from './laying';
import { doubled, halved, readPlaying, shifted } from './playing';
import { playedNotes } from './strikes';

const song = { ...newSong('x', 'piano'), bars: 40, tempo: [{ tick: 0, bpm: 120 }] };
const maps = mapsOf(song);
const HEARS = { id: 1, song: 's', parts: [{ part: 'piano', ear: EVERYTHING }] };
const roll = (over: Partial<Roll> = {}): Roll => ({
  id: 'r',
  song: 's',
  tempo: song.tempo,
  loop: null,
  latency: { output: 0, input: 0 },
  speed: 1,
  ...over,
});
const event = (
  seq: number,
  wall: number,
  key: number,
  on = true,
  at: number | null = null,
  over: Partial<BufferedEvent> = {},
): BufferedEvent => ({
  seq,
  wall,
  port: 'x',
  message: on ? { type: 'noteOn', key, velocity: 80 } : { type: 'noteOff', key, velocity: 64 },
  listening: 1,
  place: at === null ? null : { roll: 'r', at },
  ...over,
});
const held = (events: BufferedEvent[], over: Partial<LookBackBuffer> = {}): LookBackBuffer => ({
  ...EMPTY_BUFFER,
  events,
  rolls: new Map([['r', roll()]]),
  listenings: new Map([[1, HEARS]]),
  ...over,
});
const facts = (of: LookBackBuffer, index = -1, over: Partial<KeepFacts> = {}): KeepFacts => {
  let n = 0;
  return {
    passage: passagesIn(of, () => true).at(index)!,
    before: [],
    listenings: of.listenings,
    maps,
    tempo: song.tempo,
    placements: new Map([['piano', { policy: 'heard', nudge: 0 }]]),
    mode: 'new take',
    laps: 'a new take each',
    early: 240,
    gap: 960,
    newId: () => `id ${n++}`,
    at: '2026-01-01T00:00:00.000Z',
    ...over,
  };
};

describe('what is held', () => {
  it('is at least half an hour of playing; silence is free', () => {
    const night = Array.from({ length: 700 }, (_, i) => event(i, i * 3600_000, 60));
    expect(playingTime(night)).toBe(699 * 3000);
    expect(oldestWorthHolding(night)).toBeGreaterThan(0);
    const from = oldestWorthHolding(night);
    expect(playingTime(night.filter((e) => e.seq >= from))).toBeGreaterThanOrEqual(KEEPS - 3000);
    expect(trimmed(held(night)).events[0]!.seq).toBe(from);
    const short = held(night.slice(0, 50));
    expect(trimmed(short)).toBe(short);
  });

  it('is parted by passes, by rolling and by silence, and Keep takes what is fresh', () => {
    const of = held(
      [
        event(1, 0, 60),
        event(2, 300, 62),
        event(3, 90_000, 64),
        event(4, 91_000, 65, true, 1),
        event(5, 92_000, 67, true, 2),
        event(6, 93_000, 69, true, 3),
      ],
      { takings: [{ by: 'pass', from: 5, to: 5 }] },
    );
    expect(passagesIn(of, () => true).map((s) => [s.events.map((e) => e.seq), s.fresh])).toEqual([
      [[1, 2], false],
      [[3], false],
      [[4], false],
      [[6], true],
    ]);
    expect(
      offered(
        passagesIn(of, () => true),
        's',
      ).rolled.map((s) => s.events.map((e) => e.seq)),
    ).toEqual([[6]]);
    // The pass undone, its events are offered again.
    expect(
      offered(
        passagesIn(of, () => false),
        's',
      ).rolled.map((s) => s.events.map((e) => e.seq)),
    ).toEqual([[4, 5, 6]]);
    expect(
      offered(
        passagesIn(held([event(1, 0, 60)]), () => true),
        's',
      ).free?.notes,
    ).toBe(1);
    expect(
      offered(
        passagesIn(of, () => true),
        'another song',
      ),
    ).toEqual({ rolled: [], free: null });
  });

  it('is taken once: keeps and passes part the input, over any interleaving', () => {
    const step = fc.oneof(
      { weight: 6, arbitrary: fc.record({ do: fc.constant('play' as const), key: fc.integer({ min: 40, max: 80 }) }) },
      fc.constant({ do: 'roll' as const }),
      fc.constant({ do: 'stop' as const }),
      fc.constant({ do: 'keep' as const }),
      fc.constant({ do: 'undo' as const }),
      fc.record({ do: fc.constant('pass' as const), last: fc.integer({ min: 1, max: 4 }) }),
      fc.constant({ do: 'reload' as const }),
      fc.constant({ do: 'pause' as const }),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
        let of: LookBackBuffer = held([]);
        let rolling: string | null = null;
        let [wall, seq, keeps] = [0, 0, 0];
        const live: string[] = [];
        const isLive = (by: string) => live.includes(by);
        const keptBy = new Map<string, number[]>();
        for (const s of steps) {
          wall += 200;
          if (s.do === 'play') {
            const place = rolling === null ? null : { roll: rolling, at: wall / 1000 };
            of = { ...of, events: [...of.events, event((seq += 1), wall, s.key, true, null, { place })] };
          } else if (s.do === 'roll') {
            rolling = `roll ${seq} ${wall}`;
            of = { ...of, rolls: new Map(of.rolls).set(rolling, roll({ id: rolling })) };
          } else if (s.do === 'stop') rolling = null;
          else if (s.do === 'pause') wall += 10_000;
          else if (s.do === 'undo') live.pop();
          else if (s.do === 'reload')
            of =
              JSON.parse(JSON.stringify({ events: of.events, takings: of.takings })) === null
                ? of
                : { ...of, events: [...of.events], takings: [...of.takings] };
          else {
            const all =
              s.do === 'pass'
                ? passagesIn(of, isLive)
                    .slice(-1)
                    .map((x) => x.events.slice(-s.last))
                : (() => {
                    const { rolled, free } = offered(passagesIn(of, isLive), 's');
                    return [...rolled.map((x) => x.events), ...(free ? [free.events] : [])];
                  })();
            const by = `taking ${(keeps += 1)}`;
            const events = all.flat();
            if (events.length === 0) continue;
            live.push(by);
            keptBy.set(
              by,
              events.map((e) => e.seq),
            );
            of = { ...of, takings: [...of.takings, ...all.flatMap((x) => taking(by, x))] };
          }
          // Whatever is in a live taking is not offered, and the other way round; in order, and nothing twice.
          const taken = live.flatMap((by) => keptBy.get(by)!);
          const listed = passagesIn(of, isLive).flatMap((x) => x.events.map((e) => e.seq));
          expect(new Set(taken).size).toBe(taken.length);
          expect([...taken, ...listed].sort((a, b) => a - b)).toEqual(of.events.map((e) => e.seq));
          expect(listed).toEqual([...listed].sort((a, b) => a - b));
        }
      }),
    );
  });
});

describe('keeping what rolled', () => {
  it('is, event for event, what a pass over the same passage would have recorded', () => {
    fc.assert(
      fc.property(
        layerEvents(8.2, 15),
        fc.constantFrom('new take' as const, 'merge' as const, 'replace' as const, 'replace while I play' as const),
        (events, mode) => {
          fc.pre(events.some((e) => e.message.type === 'noteOn'));
          const of = held(
            events.map((e, i): BufferedEvent => ({
              seq: i + 1,
              wall: e.at * 1000,
              port: 'x',
              message: e.message,
              listening: 1,
              place: { roll: 'r', at: e.at },
            })),
          );
          const kept = keepRolled(facts(of, -1, { mode }), -Infinity, 15.5);
          const [layer] = kept.layers.map((l) => l.layer);
          // The same passage by the pass itself: punched in at that bar, stopped where the keep ends.
          let n = 0;
          const { from, to } = layer!.closing.range;
          const brief = { ...song.brief, mode, range: null };
          const plan = planPass({
            song: { ...song, brief },
            maps,
            listeners: [{ part: song.parts[0]!, ear: EVERYTHING }],
            start: from,
            from: 'Look-back',
            latency: { output: 0, input: 0 },
            newId: () => `id ${n++}`,
            at: '2026-01-01T00:00:00.000Z',
            punched: true,
          });
          const startsAt = secondsAt(maps.tempo, from);
          const inputs: PassInput[] = [
            { type: 'play', from: 0, endsAt: 80 },
            ...events.filter((e) => e.at < startsAt).map((e): PassInput => ({ type: 'key', port: 'x', ...e })),
            { type: 'punch in', at: startsAt, plan },
            ...events.filter((e) => e.at >= startsAt).map((e): PassInput => ({ type: 'key', port: 'x', ...e })),
            { type: 'stop', at: secondsAt(maps.tempo, to) },
            { type: 'clock', at: 99 },
          ];
          const [recorded] = layersOf(run(inputs).effects);
          expect(layer!.events).toEqual(recorded!.events);
          expect(layer!.closing).toEqual(recorded!.closing);
          expect(readLayer(layer!, layer!.header.placement)).toEqual(readLayer(recorded!, recorded!.header.placement));
          // Every note is there, where it was played.
          const struck = events.filter((e) => e.message.type === 'noteOn').length;
          expect(readLayer(layer!, layer!.header.placement).notes).toHaveLength(struck);
        },
      ),
    );
  });

  it('again and again takes what came since, each part what it heard, and laps come apart', () => {
    const two = { id: 2, song: 's', parts: [{ part: 'organ', ear: EVERYTHING }] };
    const of = held(
      [
        event(1, 0, 60, true, 4.1),
        event(2, 100, 60, false, 4.4),
        event(3, 200, 62, true, 5, { listening: 2 }),
        event(4, 300, 62, false, 5.4, { listening: 2 }),
      ],
      {
        listenings: new Map([
          [1, HEARS],
          [2, two],
        ]),
      },
    );
    const placements = new Map([
      ['piano', { policy: 'heard', nudge: 0 } as const],
      ['organ', { policy: 'heard', nudge: 0 } as const],
    ]);
    const kept = keepRolled(facts(of, -1, { placements }), -Infinity, 20);
    const played = kept.layers.map(({ layer }) => [
      layer.header.partId,
      readLayer(layer, layer.header.placement).notes.map((n) => n.key),
    ]);
    expect(played).toEqual([
      ['piano', [60]],
      ['organ', [62]],
    ]);
    const after = keepRolled(facts(held([event(5, 400, 64, true, 5.5), event(6, 500, 64, false, 5.7)])), 5.4, 20);
    expect(after.layers[0]!.layer.closing.range.from).toBeGreaterThan(5.4 * 1920);
    const looped = held(
      [1, 3, 5].map((at, i) => event(i + 1, at * 1000, 60 + i, true, at)),
      { rolls: new Map([['r', roll({ loop: { from: 0, to: 2 } })]]) },
    );
    const laps = keepRolled(facts(looped), -Infinity, 5.5);
    expect(
      laps.layers.map(({ layer }) => [
        layer.header.lap,
        readLayer(layer, layer.header.placement).notes.map((n) => [n.key, n.start]),
      ]),
    ).toEqual([
      [0, [[60, 1920]]],
      [1, [[61, 1920]]],
      [2, [[62, 1920]]],
    ]);
    expect(laps.results).toHaveLength(3);
  });

  it('loses no note and keeps none twice, whatever loops, whichever part listens, and however often it is kept', () => {
    const struck = fc.array(
      fc.record({
        at: fc.integer({ min: 10, max: 11_900 }),
        length: fc.integer({ min: 20, max: 900 }),
        part: fc.boolean(),
      }),
      { minLength: 1, maxLength: 24 },
    );
    const two = { id: 2, song: 's', parts: [{ part: 'organ', ear: EVERYTHING }] };
    const placements = new Map([
      ['piano', { policy: 'heard', nudge: 0 } as const],
      ['organ', { policy: 'heard', nudge: 0 } as const],
    ]);
    fc.assert(
      fc.property(
        struck,
        fc.boolean(),
        fc.array(fc.integer({ min: 100, max: 12_000 }), { maxLength: 3 }),
        (notes, loops, cuts) => {
          // Each strike has a key of its own, so that a release can never be taken for another's.
          const events = notes
            .flatMap((n, i) => [
              { at: n.at, key: 30 + i, on: true, part: n.part },
              { at: n.at + n.length, key: 30 + i, on: false, part: n.part },
            ])
            .sort((a, b) => a.at - b.at)
            .map((e, i) => event(i + 1, e.at, e.key, e.on, e.at / 1000, { listening: e.part ? 1 : 2 }));
          const of = held(events, {
            listenings: new Map([
              [1, HEARS],
              [2, two],
            ]),
            rolls: new Map([['r', roll({ loop: loops ? { from: 0, to: 4 } : null })]]),
          });
          let now: LookBackBuffer = of;
          let before = -Infinity;
          const kept: number[] = [];
          for (const cut of [...cuts, 14_000].sort((a, b) => a - b)) {
            const sofar: LookBackBuffer = { ...now, events: now.events.filter((e) => e.wall <= cut) };
            const [passage] = offered(
              passagesIn(sofar, () => true),
              's',
            ).rolled;
            if (!passage) continue;
            const { layers } = keepRolled(
              { ...facts(sofar, -1, { placements, mode: 'merge', laps: 'build up' }), passage },
              before,
              cut / 1000,
            );
            for (const { layer } of layers)
              kept.push(...readLayer(layer, layer.header.placement).notes.map((n) => n.key));
            now = { ...now, takings: [...now.takings, ...taking(`keep ${cut}`, passage.events)] };
            before = passage.events.at(-1)!.place!.at;
          }
          expect([...kept].sort()).toEqual(notes.map((_, i) => 30 + i).sort());
        },
      ),
    );
  });

  it('is one change, and comes back whole', () => {
    const of = held(
      [1, 3, 5].map((at, i) => event(i + 1, at * 1000, 60 + i, true, at)),
      { rolls: new Map([['r', roll({ loop: { from: 0, to: 2 } })]]) },
    );
    const { results } = keepRolled(facts(of), -Infinity, 5.5);
    const made = change(song, { type: 'keep', results, at: '' });
    expect(made.document.parts[0]!.takes).toHaveLength(3);
    expect(made.inverse.length).toBeGreaterThan(0);
  });
});

describe('tempo from playing', () => {
  const near = (bpm: number, wanted: number) => Math.abs(bpm / wanted - 1) < 0.02;

  it('is found in a bar of chords, an arpeggio, a melody with a pick-up, a waltz and swung playing', () => {
    const plain = { bpm: 96, bars: 6, looseness: 8, drift: 0 };
    for (const style of ['chords', 'arpeggio', 'melody', 'waltz', 'swing'] as const) {
      const p = performed({ style, ...plain, seed: 5 });
      const readings = readPlaying(p.notes);
      expect(readings.length).toBeGreaterThanOrEqual(2);
      expect(readings.length).toBeLessThanOrEqual(4);
      expect(near(readings[0]!.bpm, 96)).toBe(true);
      const downs = readings[0]!.beats.filter((_, i) => i % readings[0]!.beatsPerBar === 0);
      expect(downs.some((d) => Math.abs(d - p.one) < 0.12)).toBe(true);
      if (style === 'waltz') expect(readings[0]!.beatsPerBar).toBe(3);
    }
    const oneBar = performed({ style: 'chords', ...plain, bars: 1, seed: 3 });
    expect(readPlaying(oneBar.notes).some((r) => near(r.bpm, 96))).toBe(true);
  });

  it('is right first for most, and offered for nearly all', () => {
    const all = performances(60, 900);
    const rates = all.map((p) => ({ p, r: readPlaying(p.notes) }));
    expect(rates.filter(({ p, r }) => r[0] && near(r[0].bpm, p.bpm)).length).toBeGreaterThanOrEqual(49);
    expect(rates.filter(({ p, r }) => r.some((x) => near(x.bpm, p.bpm))).length).toBeGreaterThanOrEqual(57);
  });

  it('does not depend on when it was played, and takes anything without complaint', () => {
    const p = performed({ style: 'waltz', bpm: 110, bars: 5, looseness: 10, drift: 0, seed: 2 });
    const later = p.notes.map((n) => ({ ...n, start: n.start + 5000, end: n.end + 5000 }));
    expect(readPlaying(later).map((r) => Math.round(r.bpm * 100))).toEqual(
      readPlaying(p.notes).map((r) => Math.round(r.bpm * 100)),
    );
    expect(readPlaying([])).toEqual([]);
    expect(readPlaying([{ key: 60, velocity: 9, start: 0, end: 1 }])).toEqual([]);
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            key: fc.integer({ min: 0, max: 127 }),
            velocity: fc.integer({ min: 1, max: 127 }),
            start: fc.double({ min: 0, max: 60, noNaN: true }),
          }),
          { maxLength: 60 },
        ),
        (notes) => {
          for (const r of readPlaying(notes.map((n) => ({ ...n, end: n.start + 0.2 })))) {
            expect(r.beats.length).toBeGreaterThan(1);
            r.beats.slice(1).forEach((b, i) => expect(b).toBeGreaterThan(r.beats[i]!));
          }
        },
      ),
    );
  });

  it('is halved, doubled and shifted by the player', () => {
    const reading = { beats: [0, 1, 2, 3, 4, 5, 6, 7, 8], beatsPerBar: 4, bpm: 60, score: 0 };
    expect(halved(reading)).toMatchObject({ beats: [0, 2, 4, 6, 8], bpm: 30 });
    expect(doubled(reading).beats.slice(0, 4)).toEqual([0, 0.5, 1, 1.5]);
    expect(shifted(reading, 1, 2).beats.slice(0, 3)).toEqual([1, 2, 3]);
    // A first note that would lie before the first bar gets a bar in front.
    expect(shifted(reading, 1, 0).beats.slice(0, 2)).toEqual([-3, -2]);
    expect(shifted(reading, -1, 0).beats[0]).toBe(-1);
  });
});

describe('a phrase laid into the song', () => {
  const reading = { beats: [10, 11, 12.2, 13.2, 14.2], beatsPerBar: 4, bpm: 57, score: 0 };

  it('has its wander ironed, or kept, or gives the song its tempo', () => {
    const ironed = onSongTempo(reading, 3840, false);
    expect([10, 11, 12.2, 11.6].map(ironed)).toEqual([3840, 4800, 5760, expect.closeTo(5280, 6)]);
    const kept = onSongTempo(reading, 3840, true);
    expect(kept(14.2)).toBeCloseTo(3840 * 2, 6);
    expect(kept(11)).toBeLessThan(4800);
    const tempo = tempoMap(tempoOfPhrase(reading, 3840, song.tempo, true));
    const start = secondsAt(tempo, 3840);
    reading.beats.forEach((b, i) =>
      expect(Math.abs(secondsAt(tempo, 3840 + i * 960) - start - (b - 10))).toBeLessThan(0.0045),
    );
    expect(tempoOfPhrase(reading, 3840, song.tempo, false)).toEqual([
      { tick: 0, bpm: 120 },
      { tick: 3840, bpm: expect.closeTo(240 / 4.2, 9) as number },
    ]);
    expect(inFreeTime(10, 3840, maps.tempo)(11.5)).toBeCloseTo(3840 + 1.5 * 1920, 6);
    expect(beatAt(reading, 14.7)).toBeCloseTo(4.5, 9);
    expect(phraseRange(3840, 3840 * 2 + 10, maps.meter)).toEqual({ from: 3840, to: 3840 * 3 });
  });

  it('is kept for the part that heard it, from the bar that was chosen, whatever its placement', () => {
    const of = held([
      event(1, 10_000, 60),
      event(2, 10_900, 60, false),
      event(3, 11_000, 64),
      event(4, 11_900, 64, false),
    ]);
    const lay = onSongTempo(reading, 3840, false);
    for (const nudge of [0, 30]) {
      const placement = { policy: 'played' as const, nudge };
      const kept = keepFree(
        facts(of, -1, { placements: new Map([['piano', placement]]) }),
        lay,
        phraseRange(3840, lay(11.9), maps.meter),
      );
      expect(readLayer(kept.layers[0]!.layer, placement).notes.map((n) => [n.key, Math.round(n.start)])).toEqual([
        [60, 3840],
        [64, 4800],
      ]);
      expect(kept.results[0]!.layers[0]!.notes).toBe(2);
    }
    const quantize = { grid: '16 straight', strength: 1, ends: 'keep length' } as const;
    expect(
      keepFree(facts(of, -1, { quantize }), lay, phraseRange(3840, lay(11.9), maps.meter)).layers[0]!.layer.header
        .quantize,
    ).toEqual(quantize);
    expect(
      keepFree(facts(of), lay, phraseRange(3840, lay(11.9), maps.meter)).layers[0]!.layer.header.quantize,
    ).toBeNull();
    expect(keepFree(facts(of, -1, { placements: new Map() }), lay, { from: 0, to: 10 })).toEqual({
      layers: [],
      results: [],
    });
    expect(playedNotes(of.events).map((n) => [n.start, n.end])).toEqual([
      [10, 10.9],
      [11, 11.9],
    ]);
  });

  it('can give the song its tempo and its length in the same change', () => {
    const short = { ...song, bars: 1, parts: [newPart({ id: 'piano', name: 'Piano' }, 0)] };
    const tempo = tempoOfPhrase(reading, 0, short.tempo, false);
    const { document } = change(short, {
      type: 'keep',
      results: [],
      at: '',
      bars: 3,
      retiming: { tempo, meter: [{ bar: 1, beats: 3, unit: 4 }], bars: 3, takes: 'bars' },
    });
    expect(document.bars).toBe(3);
    expect(document.tempo).toEqual(tempo);
    expect(document.meter).toEqual([{ bar: 1, beats: 3, unit: 4 }]);
  });
});
