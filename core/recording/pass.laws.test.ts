/** The laws of a pass, over random songs, passes, meters, tempo maps and streams of keys. */

import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layerEvents, messages } from '../testing/arbitraries';
import { clock, layersOf, resultsOf, run } from '../testing/passes';
import { valuesBefore, laneOf, type ControlEvent } from '../performance/controls';
import type { Note, Reading } from '../performance/notes';
import { change } from '../song/changes';
import { patched, type Change } from '../song/history';
import { newSong, type SongDocument } from '../document/document';
import { PLAIN_PASS, type Brief } from '../document/brief';
import { mapsOf } from '../document/maps';
import { readPart, takeReader } from '../reading/reading';
import { meansPlace } from '../performance/intendedPlace';
import { readLayer, type Layer } from '../takes/layer';
import { secondsAt } from '../time/tempo';
import type { TickRange } from '../time/units';
import { MODES, type Mode, LAP_POLICIES } from '../vocabulary/modes';
import { listenersOf } from './inputRoutes';
import type { PassEffect, PassInput } from './state';
import { planPass } from './plan';
import { real } from '../testing/realNumbers';

interface Songful {
  readonly song: SongDocument;
  readonly layers: ReadonlyMap<string, Layer>;
}

const AT = '2026-01-01T00:00:00.000Z';

const BAR = 3840;

/** A song of 16 bars in which some takes have been recorded, over one another and apart, in a tempo that may change. */
const songs: fc.Arbitrary<Songful> = fc
  .record({
    bpm: fc.constantFrom(90, 120, 173),
    ramp: fc.boolean(),
    waltz: fc.boolean(),
    takes: fc.array(
      fc.record({
        from: fc.integer({ min: 0, max: 12 }),
        bars: fc.integer({ min: 1, max: 6 }),
        events: layerEvents(0, 30),
        mode: fc.constantFrom('new take' as const, 'new take' as const, 'merge' as const),
      }),
      { maxLength: 5 },
    ),
  })
  .map(({ bpm, ramp, waltz, takes }) => {
    const base: SongDocument = {
      ...newSong('x', 'piano'),
      bars: 20,
      meter: waltz
        ? [
            { bar: 1, beats: 4, unit: 4 },
            { bar: 7, beats: 3, unit: 4 },
          ]
        : [{ bar: 1, beats: 4, unit: 4 }],
      tempo: ramp
        ? [
            { tick: 0, bpm, ramp: 'linear' },
            { tick: 8 * BAR, bpm: bpm * 1.3 },
          ]
        : [{ tick: 0, bpm }],
    };
    const layers = new Map<string, Layer>();
    const song = takes.reduce((before, t, i) => {
      const planned = { from: t.from * BAR, to: (t.from + t.bars) * BAR };
      const layer: Layer = {
        header: header({
          id: `old ${i}`,
          takeId: `take ${i}`,
          partId: 'piano',
          passId: `p${i}`,
          planned,
          tempo: base.tempo,
        }),
        events: t.events,
        closing: { range: planned, clears: [] },
      };
      layers.set(layer.header.id, layer);
      const { notes } = readLayer(layer, layer.header.placement);
      return change(before, {
        type: 'record',
        at: AT,
        result: {
          passId: `p${i}`,
          mode: t.mode,
          layers: [{ header: layer.header, closing: layer.closing, notes: notes.length }],
        },
      }).document;
    }, base);
    return { song, layers };
  });

interface Passing {
  readonly range: TickRange;
  readonly events: readonly { readonly share: number; readonly message: (PassInput & { type: 'key' })['message'] }[];
  readonly stop: number;
}

const passings: fc.Arbitrary<Passing> = fc.record({
  range: fc
    .tuple(fc.integer({ min: 0, max: 14 * 4 }), fc.integer({ min: 1, max: 20 }))
    .map(([from, beats]) => ({ from: from * 960, to: (from + beats) * 960 })),
  events: fc
    .array(fc.record({ share: real(-0.2, 1.2), message: messages }), { maxLength: 30 })
    .map((all) => all.sort((a, b) => a.share - b.share)),
  stop: real(0.1, 1.5),
});

const lineOf = ({ song, layers }: Songful): Reading => readPart(song.parts[0]!, takeReader(layers, song.clocks));

/** Records over a song through the reducer; each lap is put into takes as it is closed. */
function recordOver(before: Songful, brief: Partial<Brief>, { range, events, stop }: Passing) {
  const song: SongDocument = { ...before.song, brief: { ...before.song.brief, ...PLAIN_PASS, range, ...brief } };
  const maps = mapsOf(song);
  let n = 0;
  const plan = planPass({
    song,
    maps,
    listeners: listenersOf(song),
    start: 0,
    from: 'x',
    latency: { output: 0, input: 0 },
    newId: () => `new ${n++}`,
    at: AT,
  });
  const from = secondsAt(maps.tempo, plan.range.from);
  const length = secondsAt(maps.tempo, plan.range.to) - from;
  const laps = brief.loop ? 3 : 1;
  const log: PassInput[] = [
    { type: 'record', plan },
    ...events.flatMap(({ share, message }): PassInput[] => [
      { type: 'key', port: 'x', at: from + share * laps * length, message },
      clock(from + share * laps * length),
    ]),
    { type: 'stop', at: from + stop * laps * length },
    clock(from + (stop + 2) * laps * length + 9),
  ];
  const { effects } = run(log);
  const layers = new Map([...before.layers, ...layersOf(effects).map((l): [string, Layer] => [l.header.id, l])]);
  const changes: Change[] = [];
  const after = resultsOf(effects).reduce((doc, result) => {
    const made = change(doc, { type: 'record', result, at: AT });
    changes.push(made);
    return made.document;
  }, before.song);
  return { after: { song: after, layers }, effects, log, changes, recorded: layersOf(effects)[0]!.closing.range };
}

/** Values that every controller holds wherever something changes. */
const holding = (controls: readonly ControlEvent[], tick: number): Record<string, number> =>
  Object.fromEntries(
    [...valuesBefore(controls, tick + 1e-6)]
      .map(([lane, m]) => [lane, m.value])
      .filter(([lane, value]) => value !== REST[lane as string] && value !== 0),
  );

const REST: Readonly<Record<string, number>> = { 'control 11': 127, bend: 8192 };

/** Notes just ahead of a range that mean its first beat: they are the range's, also once they are cut short by it. */
const aheadOf = ({ notes }: Reading, { from }: TickRange): Set<string> =>
  new Set(notes.filter((n) => n.start < from && meansPlace(n, from)).map((n) => n.id));
/** The notes that start outside a range; one that rings into it may be cut at its start. */
const outside = ({ notes }: Reading, { from, to }: TickRange, ahead: ReadonlySet<string>) =>
  notes
    .filter((n) => (n.start < from && !ahead.has(n.id)) || n.start >= to)
    .map((n) => ({ ...n, end: n.start < from && n.end >= from ? 'cut or not' : n.end }));

const signed = (r: Reading) => r.notes.map((n) => `${n.id} ${n.start} ${n.end}`).sort();

const anyMode = fc.constantFrom(...MODES);

describe('a pass over a song', () => {
  it('changes nothing outside its range, in any mode: no note, and no controller after it', () => {
    fc.assert(
      fc.property(songs, passings, anyMode, (song, passing, mode) => {
        const { after, recorded } = recordOver(song, { mode }, passing);
        const [a, b] = [lineOf(song), lineOf(after)];
        const ahead = aheadOf(a, recorded);
        expect(outside(b, recorded, ahead)).toEqual(outside(a, recorded, ahead));
        // Notes that do not reach the range are the very same; bit for bit.
        const far = (r: Reading) => r.notes.filter((n) => n.end < recorded.from || n.start >= recorded.to);
        expect(far(b)).toEqual(far(a));
        for (const c of [...a.controls, ...b.controls]) {
          if (c.at < recorded.from || c.at >= recorded.to)
            expect(holding(b.controls, c.at)).toEqual(holding(a.controls, c.at));
        }
        // After the punch every controller sounds as it would have without the pass.
        expect(holding(b.controls, recorded.to)).toEqual(holding(a.controls, recorded.to));
      }),
    );
  });

  it('merged is old and new together', () => {
    fc.assert(
      fc.property(songs, passings, (song, passing) => {
        const { after, effects } = recordOver(song, { mode: 'merge' }, passing);
        const [added] = layersOf(effects);
        const fresh = readLayer(added!, added!.header.placement);
        // A note that means the first beat after a join ends one of its key that the join cuts.
        const { comp } = song.song.parts[0]!;
        const old = lineOf(song).notes;
        const ends = (n: Note, at: number) => old.some((o) => o.key === n.key && o.start < n.start && o.end === at);
        const isAhead = (n: Note) => comp.some(({ from }) => n.start < from && meansPlace(n, from) && ends(n, from));
        fc.pre(!fresh.notes.some(isAhead));
        expect(signed(lineOf(after))).toEqual([...signed(lineOf(song)), ...signed(fresh)].sort());
      }),
    );
  });

  it('that replaces with nothing leaves silence in its range', () => {
    fc.assert(
      fc.property(songs, passings, (song, passing) => {
        const { after, recorded } = recordOver(song, { mode: 'replace' }, { ...passing, events: [] });
        const line = lineOf(after);
        expect(line.notes.filter((n) => n.end > recorded.from && n.start < recorded.to)).toEqual([]);
        expect(line.controls.filter((c) => c.at > recorded.from && c.at < recorded.to)).toEqual([]);
      }),
    );
  });

  it('that is a new take changes no other take', () => {
    fc.assert(
      fc.property(songs, passings, (song, passing) => {
        const { after } = recordOver(song, { mode: 'new take' }, passing);
        expect(after.song.parts[0]!.takes.slice(0, song.song.parts[0]!.takes.length)).toEqual(
          song.song.parts[0]!.takes,
        );
      }),
    );
  });

  it('clears less than replace when it replaces while I play, or from my first note', () => {
    fc.assert(
      fc.property(
        songs,
        passings,
        fc.constantFrom<Mode>('replace while I play', 'replace from my first note'),
        (song, passing, mode) => {
          const left = (m: Mode) =>
            new Set(
              lineOf(recordOver(song, { mode: m }, passing).after)
                .notes.filter((n) => n.id.startsWith('old'))
                .map((n) => n.id),
            );
          const less = left(mode);
          for (const id of left('replace')) expect(less.has(id)).toBe(true);
        },
      ),
    );
  });

  it('comes back by undo, and again by redo, lap by lap', () => {
    fc.assert(
      fc.property(
        songs,
        passings,
        anyMode,
        fc.boolean(),
        fc.constantFrom(...LAP_POLICIES),
        (song, passing, mode, loop, laps) => {
          const { after, changes } = recordOver(song, { mode, loop, laps }, passing);
          const undone = [...changes].reverse().reduce((doc, c) => patched(doc, c.inverse), after.song);
          expect(undone).toEqual(song.song);
          expect(lineOf({ song: undone, layers: after.layers })).toEqual(lineOf(song));
          expect(changes.reduce((doc, c) => patched(doc, c.patches), undone)).toEqual(after.song);
        },
      ),
    );
  });

  it('releases every note and lifts every pedal, where it ends and at every join', () => {
    fc.assert(
      fc.property(
        songs,
        passings,
        anyMode,
        fc.boolean(),
        fc.constantFrom(...LAP_POLICIES),
        (song, passing, mode, loop, laps) => {
          const { after, effects } = recordOver(song, { mode, loop, laps }, passing);
          for (const layer of layersOf(effects)) {
            const { notes, controls } = readLayer(layer, layer.header.placement);
            notes.forEach((n) => expect(n.end).toBeLessThanOrEqual(layer.closing.rings ?? layer.closing.range.to));
            expect(holding(controls, Infinity)).toEqual({});
          }
          expect(holding(lineOf(after).controls, Infinity)).toEqual({});
        },
      ),
    );
  });

  it('is the same again, bit for bit, when its log is replayed', () => {
    fc.assert(
      fc.property(
        songs,
        passings,
        anyMode,
        fc.boolean(),
        fc.constantFrom(...LAP_POLICIES),
        (song, passing, mode, loop, laps) => {
          const { log, effects } = recordOver(song, { mode, loop, laps }, passing);
          const again: PassEffect[] = run(JSON.parse(JSON.stringify(log)) as PassInput[]).effects;
          expect(JSON.stringify(again)).toBe(JSON.stringify(effects));
        },
      ),
    );
  });

  it('that rides one controller touches nothing else', () => {
    fc.assert(
      fc.property(
        songs,
        passings,
        fc.constantFrom<Mode>('merge', 'replace', 'new take', 'replace while I play'),
        (song, passing, mode) => {
          const { after, recorded } = recordOver(song, { mode, ride: 'control 1' }, passing);
          const [a, b] = [lineOf(song), lineOf(after)];
          expect(b.notes).toEqual(a.notes);
          const others = (r: Reading) =>
            r.controls
              .filter((c) => laneOf(c.message) !== 'control 1')
              .map((c) => JSON.stringify(c))
              .sort();
          expect(others(b)).toEqual(others(a));
          expect(holding(b.controls, recorded.to)).toEqual(holding(a.controls, recorded.to));
        },
      ),
    );
  });

  it('changes nothing outside the loop, whatever its laps do', () => {
    fc.assert(
      fc.property(songs, passings, fc.constantFrom(...LAP_POLICIES), (song, passing, laps) => {
        const { after } = recordOver(song, { loop: true, laps }, passing);
        const range = { from: passing.range.from, to: passing.range.to };
        const far = (r: Reading) => r.notes.filter((n) => n.end < range.from || n.start >= range.to);
        expect(far(lineOf(after))).toEqual(far(lineOf(song)));
      }),
    );
  });
});
