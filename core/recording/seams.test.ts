import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { clock, key, layersOf, pedal, planOf, resultsOf, run } from '../testing/passes';
import { header } from '../testing/arbitraries';
import { valuesBefore } from '../performance/controls';
import { change } from '../song/changes';
import { newPart } from '../document/part';
import { newSong, type SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { readLayer, type Layer } from '../takes/layer';
import { secondsAt } from '../time/tempo';
import { EVERYTHING, listenersOf } from './ears';
import { planPass } from './plan';
import { LAP_POLICIES } from '../vocabulary/modes';
import { LATEST, type PassInput, type PassPlan } from './state';

const HEARD = { policy: 'heard', nudge: 0 } as const;
const strike = (at: number, number: number, on = true): PassInput => key(at, on, 'x', number);
const struck = (layers: readonly Layer[], placement = HEARD as Layer['header']['placement']) =>
  layers.map((l) => readLayer(l, placement).notes.map((n) => n.key));
const stop = (at: number): PassInput => ({ type: 'stop', at });

/** A loop over bars of a song, as the brief makes it, and where it lies in seconds. */
function loopOf(
  bpm: SongDocument['tempo'],
  bars: readonly [number, number],
  over: Partial<SongDocument['brief']> = {},
): { plan: PassPlan; from: number; length: number } {
  const base = newSong('x', 'piano');
  const range = { from: (bars[0] - 1) * 3840, to: bars[1] * 3840 };
  const song: SongDocument = { ...base, bars: 40, tempo: bpm, brief: { ...base.brief, loop: true, range, ...over } };
  const maps = mapsOf(song);
  let n = 0;
  const plan = planPass({
    song,
    maps,
    listeners: listenersOf(song),
    start: 0,
    from: 'x',
    latency: { output: 0, input: 0 },
    newId: () => `id${n++}`,
    at: '',
  });
  const from = secondsAt(maps.tempo, range.from);
  return { plan, from, length: secondsAt(maps.tempo, range.to) - from };
}

describe('the end of a lap', () => {
  it('is its planned end to the tick, in any tempo: the last full lap is the last full lap', () => {
    let loops = 0;
    for (let bpm = 40; bpm <= 240; bpm += 4) {
      for (const bars of [
        [1, 1],
        [2, 3],
        [3, 3],
        [5, 8],
        [7, 9],
        [2, 9],
        [10, 13],
        [33, 36],
      ] as const) {
        const { plan, from, length } = loopOf([{ tick: 0, bpm }], bars, { laps: 'keep the last full lap' });
        const inputs = [0, 1, 2].flatMap((lap) => [
          strike(from + (lap + 0.4) * length, 60 + lap),
          strike(from + (lap + 0.5) * length, 60 + lap, false),
          clock(from + (lap + 0.99) * length),
        ]);
        const { effects } = run([
          { type: 'record', plan },
          clock(from),
          ...inputs,
          clock(from + 3.2 * length),
          stop(from + 3.5 * length),
          clock(from + 5 * length + 2),
        ]);
        let song: SongDocument = { ...newSong('x', 'piano'), bars: 40 };
        for (const result of resultsOf(effects)) song = change(song, { type: 'record', result, at: '' }).document;
        const [part] = song.parts;
        expect(part!.comp).toEqual([{ ...plan.range, takeId: part!.takes[2]!.id }]);
        loops += 1;
      }
    }
    expect(loops).toBe(408);
  });

  it('leaves no sliver of an earlier lap in the comp', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 30, max: 260, noNaN: true }),
        fc.integer({ min: 1, max: 20 }),
        fc.integer({ min: 1, max: 4 }),
        fc.constantFrom(...LAP_POLICIES),
        (bpm, first, bars, laps) => {
          const { plan, from, length } = loopOf([{ tick: 0, bpm }], [first, first + bars - 1], { laps });
          const inputs = [0, 1, 2].flatMap((lap) => [
            strike(from + (lap + 0.4) * length, 60 + lap),
            strike(from + (lap + 0.5) * length, 60 + lap, false),
          ]);
          const { effects } = run([
            { type: 'record', plan },
            clock(from),
            ...inputs,
            clock(from + 3.2 * length),
            stop(from + 3.2 * length),
            clock(from + 5 * length + 2),
          ]);
          let song: SongDocument = { ...newSong('x', 'piano'), bars: 40 };
          for (const result of resultsOf(effects)) song = change(song, { type: 'record', result, at: '' }).document;
          for (const piece of song.parts[0]!.comp) {
            expect(piece.to - piece.from).toBeGreaterThanOrEqual(1);
            expect([piece.from, piece.to].every(Number.isInteger)).toBe(true);
          }
          expect(song.parts[0]!.comp.length).toBeLessThanOrEqual(2);
        },
      ),
    );
  });
});

describe('a strike ahead of a seam', () => {
  it.each([
    [140, 90, 0.13],
    [90, 140, 0.13],
    [90, 140, 0.1],
    [140, 90, 0.16],
  ])('at %i before the loop and %i in it, %d s ahead and held across, is in one lap', (before, inside, ahead) => {
    const { plan, from, length } = loopOf(
      [
        { tick: 0, bpm: before },
        { tick: 3840, bpm: inside },
      ],
      [2, 3],
    );
    const seam = from + length;
    const { effects } = run([
      { type: 'record', plan },
      clock(from),
      strike(seam - ahead, 60),
      strike(seam + 0.3, 60, false),
      clock(seam + 1),
      stop(seam + 1),
      clock(seam + 9),
    ]);
    expect(struck(layersOf(effects)).flat()).toEqual([60]);
  });

  it('is in exactly one lap, in any tempo, at any place, however it is placed later', () => {
    const bpm = fc.double({ min: 40, max: 220, noNaN: true });
    fc.assert(
      fc.property(
        bpm,
        bpm,
        fc.integer({ min: 0, max: 960 }),
        fc.double({ min: 0.001, max: 0.45, noNaN: true }),
        fc.double({ min: -0.3, max: 0.8, noNaN: true }),
        fc.integer({ min: -40, max: 40 }),
        (before, inside, early, ahead, after, nudge) => {
          fc.pre(after > -ahead + 0.001);
          const { plan, from, length } = loopOf(
            [
              { tick: 0, bpm: before },
              { tick: 3840, bpm: inside },
            ],
            [2, 3],
            { early },
          );
          fc.pre(ahead < length / 2 && after < length / 2);
          const seam = from + length;
          const { effects } = run([
            { type: 'record', plan },
            clock(from),
            strike(seam - ahead, 60),
            clock(seam - ahead + 0.0005),
            strike(seam + after, 60, false),
            clock(seam + 1.5),
            strike(seam + 1.4, 64),
            stop(seam + 1.5),
            clock(seam + 9),
          ]);
          const placement = { policy: 'heard' as const, nudge };
          expect(
            struck(layersOf(effects), placement)
              .flat()
              .filter((k) => k === 60),
          ).toEqual([60]);
        },
      ),
    );
  });
});

describe('a stop just after a seam', () => {
  const { plan, from, length } = loopOf([{ tick: 0, bpm: 120 }], [2, 3]);
  const seam = from + length;

  it('has a strike that was made before it and arrives after it', () => {
    const { effects } = run([
      { type: 'record', plan },
      clock(from),
      strike(from + 1, 60),
      strike(from + 1.5, 60, false),
      clock(seam + 0.05),
      stop(seam + 0.1),
      strike(seam + 0.06, 64),
      strike(seam + 0.09, 64, false),
      clock(seam + 0.2),
      clock(seam + 9),
    ]);
    expect(struck(layersOf(effects))).toEqual([[60], [64]]);
  });

  it('has a strike that a later nudge carries over the seam, and one that it carries over the stop', () => {
    const { effects } = run([
      { type: 'record', plan },
      clock(from),
      strike(seam - 0.02, 60),
      strike(seam - 0.01, 60, false),
      clock(seam + 0.05),
      stop(seam + 0.1),
      clock(seam + 9),
    ]);
    for (const nudge of [0, 30, 200])
      expect(struck(layersOf(effects), { policy: 'heard', nudge }).flat()).toEqual([60]);
    const plain = run([{ type: 'record', plan: planOf() }, clock(2), key(2.98), stop(3), clock(9)]);
    for (const nudge of [0, 30, 200])
      expect(struck(layersOf(plain.effects), { policy: 'heard', nudge }).flat()).toEqual([60]);
  });
});

describe('a part that begins to listen', () => {
  const out = { output: 0.05, input: 0 };
  const own = (id: string, over = {}) =>
    header({
      id,
      partId: id,
      planned: { from: 3840, to: 7680 },
      latency: out,
      placement: { policy: 'played', nudge: 0 },
      early: 0,
      ...over,
    });
  const second: PassInput = { type: 'listen', at: 3, layers: [own('organ')], ears: [EVERYTHING] };

  it('has its first note, at its own place, as I played it and with no allowance', () => {
    const { effects } = run([
      { type: 'record', plan: planOf({ layers: [own('piano')] }) },
      clock(2),
      strike(2.5, 60),
      strike(2.6, 60, false),
      second,
      strike(3, 64),
      strike(3.4, 64, false),
      stop(3.8),
      clock(9),
    ]);
    const [piano, organ] = layersOf(effects).sort((a, b) => (a.header.partId < b.header.partId ? 1 : -1));
    expect(struck([piano!, organ!], { policy: 'played', nudge: 0 })).toEqual([[60], [64]]);
    expect(readLayer(organ!, { policy: 'played', nudge: 0 }).notes[0]!.start).toBeCloseTo(2.95 * 1920, 6);
  });

  it('on the tick of a seam leaves the part before it what was struck just ahead of that seam', () => {
    const listens = (id: string): PassInput => ({
      ...second,
      at: 4,
      layers: [own(id, { laps: 'build up', lap: 0, latency: { output: 0, input: 0 } })],
    });
    const { effects } = run([
      {
        type: 'record',
        plan: planOf({
          layers: [own('piano', { laps: 'build up', lap: 0, early: 240, latency: { output: 0, input: 0 } })],
          loop: { from: 3840, laps: 'build up' },
        }),
      },
      clock(2),
      strike(3.9, 60),
      listens('organ'),
      strike(4.1, 60, false),
      strike(4.5, 64),
      strike(4.7, 64, false),
      stop(5.9),
      clock(12),
    ]);
    const heard = layersOf(effects).flatMap((l) =>
      readLayer(l, HEARD).notes.map((n) => [l.header.partId, l.header.lap, n.key, n.start]),
    );
    expect(heard).toEqual([
      ['piano', 1, 60, 3840],
      ['organ', expect.anything(), 64, 4800],
    ]);
  });

  it('while the count goes, or while a note is waited for, is the one that records', () => {
    const counting = run([
      { type: 'record', plan: planOf({ layers: [own('piano')] }) },
      clock(0.5),
      { ...second, at: 0.6 } as PassInput,
      clock(2),
      strike(2.5, 60),
      strike(2.7, 60, false),
      stop(3.5),
      clock(9),
    ]);
    const notes = (all: typeof counting) =>
      Object.fromEntries(
        layersOf(all.effects).map((l) => [l.header.partId, readLayer(l, HEARD).notes.map((n) => n.key)]),
      );
    expect(notes(counting)).toEqual({ piano: [], organ: [60] });
    const waiting = run([
      { type: 'record', plan: planOf({ wait: 'start', layers: [own('piano')] }) },
      clock(1),
      { ...second, at: 1.2 } as PassInput,
      clock(5),
      strike(5.3, 60),
      strike(5.5, 60, false),
      clock(2.4),
      stop(3.5),
      clock(9),
    ]);
    expect(notes(waiting)).toEqual({ piano: [], organ: [60] });
  });
});

describe('controllers at a punch', () => {
  const held = (layer: Layer, tick: number) =>
    valuesBefore(readLayer(layer, HEARD).controls, tick + 1e-6).get('control 64')?.value ?? 0;
  const punch = (at: number, id: string): PassInput => ({
    type: 'punch in',
    at,
    plan: planOf({
      range: { from: at * 1920, to: 40 * 1920 },
      punched: true,
      passId: id,
      layers: [header({ id, planned: { from: at * 1920, to: 40 * 1920 } })],
    }),
  });

  it('are as they were moved in an earlier roll, later in the song', () => {
    const { effects } = run([
      { type: 'play', from: 30, endsAt: 64 },
      pedal(31, 127),
      stop(32),
      clock(33),
      { type: 'play', from: 4, endsAt: 64 },
      clock(5),
      punch(5, 'a'),
      key(6),
      stop(7),
      clock(9),
    ]);
    expect(held(layersOf(effects)[0]!, 5 * 1920)).toBe(127);
  });

  it('are as they were moved just before a second punch, while the first recorded', () => {
    const { effects } = run([
      { type: 'play', from: 4, endsAt: 64 },
      clock(5),
      punch(5, 'a'),
      key(5.2),
      pedal(5.8, 127),
      { type: 'punch out', at: 5.9 },
      clock(6),
      punch(6.1, 'b'),
      key(6.3),
      stop(8),
      clock(12),
    ]);
    expect(
      held(
        layersOf(effects).find((l) => l.header.id === 'b')!,
        6.1 * 1920,
      ),
    ).toBe(127);
  });

  it('that were held when a note was waited for, and let go while the count went round, are let go', () => {
    const { effects } = run([
      pedal(-9, 127),
      { type: 'record', plan: planOf({ wait: 'start' }) },
      clock(1),
      pedal(3, 0),
      clock(4.9),
      key(5),
      key(5.4, false),
      clock(2.6),
      stop(3.5),
      clock(9),
    ]);
    const [layer] = layersOf(effects);
    expect(held(layer!, 4000)).toBe(0);
    expect(layer!.events.filter((e) => e.message.type === 'control')).toHaveLength(2);
  });
});

describe('laps that build up', () => {
  const fresh = (
    extra: PassInput[],
    quantize: SongDocument['brief']['quantize'] = null,
    laps: SongDocument['brief']['laps'] = 'fresh, then build up',
  ) => {
    const { plan, from, length } = loopOf([{ tick: 0, bpm: 120 }], [2, 2], { laps, quantize });
    const { effects } = run([
      { type: 'record', plan },
      clock(from),
      strike(from + 0.5, 60),
      strike(from + 0.6, 60, false),
      ...extra.map((i) => ('at' in i ? { ...i, at: i.at + from } : i) as PassInput),
      clock(from + 2 * length - 0.1),
      stop(from + 2 * length - 0.1),
      clock(from + 9),
    ]);
    let song: SongDocument = { ...newSong('x', 'piano'), bars: 40 };
    for (const result of resultsOf(effects)) song = change(song, { type: 'record', result, at: '' }).document;
    return song.parts[0]!;
  };

  it('keep a later lap that has only a pedal or a wheel', () => {
    expect(fresh([pedal(2.5, 127), pedal(3, 0)]).takes.map((t) => t.layers.length)).toEqual([2]);
    expect(fresh([]).takes.map((t) => t.layers.length)).toEqual([1]);
  });

  it('quantized on the way in treat what each lap brought', () => {
    const part = fresh(
      [strike(2.5, 64), strike(2.6, 64, false)],
      { grid: '4 straight', strength: 1, ends: 'keep length' },
      'build up',
    );
    expect(part.treatments.map((t) => t.layers)).toEqual(part.takes[0]!.layers.map((l) => [l]));
  });
});

describe('idle laps', () => {
  it('are jumped over: four hours of a two-second loop leave two laps', () => {
    const { plan, from } = loopOf([{ tick: 0, bpm: 120 }], [2, 2]);
    const late = from + 2 * 7200;
    const { effects, phases } = run([
      { type: 'record', plan },
      clock(from),
      strike(from + 0.5, 60),
      strike(from + 0.7, 60, false),
      clock(from + 3),
      strike(late + 0.5, 64),
      strike(late + 0.7, 64, false),
      stop(late + 1),
      clock(late + 9),
    ]);
    expect(layersOf(effects)).toHaveLength(2);
    // Told of every lap by the clock, it is the same.
    const told = Array.from({ length: 40 }, (_, i) => clock(from + 3 + i));
    const often = run([
      { type: 'record', plan },
      clock(from),
      strike(from + 0.5, 60),
      strike(from + 0.7, 60, false),
      ...told,
      strike(from + 44.5, 64),
      strike(from + 44.7, 64, false),
      stop(from + 45),
      clock(from + 54),
    ]);
    expect(often.effects.filter((e) => e.type === 'openLayer')).toHaveLength(2);
    expect(often.effects.filter((e) => e.type === 'closeLayer')).toHaveLength(2);
    expect(often.effects.at(-1)!.type).toBe('finished');
    expect(struck(layersOf(effects)).flat()).toEqual([60, 64]);
    expect(layersOf(effects).at(-1)!.header.lap).toBe(7200);
    expect(phases.at(-1)).toBe('idle');
    expect(LATEST).toBeLessThan(1);
  });

  it('leave the others as a clock that is told often leaves them', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            at: fc.double({ min: 0.05, max: 60, noNaN: true }),
            length: fc.double({ min: 0.02, max: 9, noNaN: true }),
          }),
          { minLength: 1, maxLength: 6 },
        ),
        (notes) => {
          const { plan, from } = loopOf([{ tick: 0, bpm: 120 }], [2, 2]);
          const events = notes
            .flatMap(({ at, length }, i) => [strike(from + at, 40 + i), strike(from + at + length, 40 + i, false)])
            .sort((a, b) => ('at' in a && 'at' in b ? a.at - b.at : 0));
          const end = from + 71;
          const told = Array.from({ length: 710 }, (_, i): PassInput => clock(from + i / 10));
          const often = run([
            { type: 'record', plan },
            ...[...events, ...told].sort((a, b) => ('at' in a && 'at' in b ? a.at - b.at : 0)),
            stop(end),
            clock(end + 9),
          ]);
          const seldom = run([{ type: 'record', plan }, clock(from), ...events, stop(end), clock(end + 9)]);
          const read = (all: typeof often) =>
            layersOf(all.effects)
              .map(
                (l) =>
                  [
                    l.header.lap,
                    readLayer(l, HEARD).notes.map((n) => [n.key, Math.round(n.start), Math.round(n.end)]),
                  ] as const,
              )
              .filter(([, n]) => n.length > 0);
          expect(read(seldom)).toEqual(read(often));
          expect(
            read(often)
              .flatMap(([, n]) => n)
              .map(([k]) => k)
              .sort(),
          ).toEqual(notes.map((_, i) => 40 + i).sort());
        },
      ),
    );
  });
});

describe('quantize on the way in', () => {
  const recipe = { grid: '4 straight', strength: 1, ends: 'keep length' } as const;
  const layer = (id: string, over = {}) => ({
    header: header({
      id,
      partId: 'piano',
      takeId: `t ${id}`,
      quantize: recipe,
      planned: { from: 0, to: 3840 },
      ...over,
    }),
    closing: { range: { from: 0, to: 3840 }, clears: [] },
  });
  const recorded = (
    song: SongDocument,
    id: string,
    mode: 'new take' | 'merge',
    over: { notes?: number; touched?: boolean; header?: object } = {},
  ) =>
    change(song, {
      type: 'record',
      at: '',
      result: {
        passId: id,
        mode,
        layers: [{ ...layer(id, over.header ?? {}), notes: over.notes ?? 3, touched: over.touched ?? false }],
      },
    }).document;
  const plain = { ...newSong('x', 'piano'), parts: [newPart({ id: 'piano', name: 'Piano' }, 0)] };

  it('treats what a merge brought, and leaves the notes that were there alone', () => {
    const there = recorded(plain, 'old', 'new take', { header: { quantize: null } });
    expect(recorded(there, 'new', 'merge').parts[0]!.treatments).toMatchObject([{ layers: ['new'] }]);
    expect(recorded(plain, 'new', 'new take').parts[0]!.treatments.map((t) => t.layers)).toEqual([undefined]);
  });

  it('is not laid by a ride, nor by a lap that is not heard', () => {
    const there = recorded(plain, 'old', 'new take', { header: { quantize: null } });
    expect(recorded(there, 'new', 'merge', { header: { ride: 'control 1' } }).parts[0]!.treatments).toEqual([]);
    const cut = {
      ...layer('lap', { laps: 'keep the last full lap', lap: 3 }),
      closing: { range: { from: 0, to: 960 }, clears: [] },
    };
    const heard = change(there, {
      type: 'record',
      at: '',
      result: { passId: 'lap', mode: 'new take', layers: [{ ...cut, notes: 2 }] },
    }).document;
    expect(heard.parts[0]!.treatments).toEqual([]);
  });
});
