import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layerEvents } from '../testing/arbitraries';
import { clock, key, layersOf, pedal, planOf, resultsOf, run } from '../testing/passes';
import { newPart } from '../document/part';
import { newSong } from '../document/document';
import { valuesBefore } from '../performance/controls';
import { readLayer, type Layer } from '../takes/layer';
import { readTake } from '../takes/take';
import { MODES, LAP_POLICIES } from '../vocabulary/modes';
import { EVERYTHING, admits, listenersOf } from './inputRoutes';
import { pass } from './pass';
import { IDLE, lapAt, LATEST, songAt, type PassInput, type PassPlan } from './state';
import { real } from '../testing/realNumbers';

describe('a pass', () => {
  const record: PassInput = { type: 'record', plan: planOf() };

  it('counts off, records, and stops at the end of its range', () => {
    const { phases, effects, state } = run([record, clock(0.1), clock(2), clock(3.9), clock(4.01), clock(4 + LATEST)]);
    expect(phases).toEqual(['counting', 'counting', 'recording', 'recording', 'stopping', 'idle']);
    expect(effects.map((e) => e.type)).toEqual(['openLayer', 'roll', 'halt', 'closeLayer', 'recorded', 'finished']);
    expect(effects[1]).toMatchObject({ from: 0, music: 2 });
    expect(effects[2]).toEqual({ type: 'halt', at: 4 });
    expect(state).toEqual(IDLE);
  });

  it('keeps what is played in the count, and reads what counts', () => {
    const { effects } = run([
      record,
      key(0.5),
      key(0.6, false),
      key(1.95),
      clock(2.1),
      key(2.4, false),
      { type: 'stop', at: 3 },
      clock(3.5),
    ]);
    const [layer] = layersOf(effects);
    expect(layer!.events).toHaveLength(4);
    expect(layer!.closing.range).toEqual({ from: 3840, to: 5760 });
    expect(readTake([layer!], layer!.header.placement).notes.map((n) => [n.start, n.end])).toEqual([
      [3840, 2.4 * 1920],
    ]);
  });

  it('takes in a note made before the stop that arrives after it', () => {
    const { effects } = run([
      record,
      clock(2),
      { type: 'stop', at: 3 },
      key(2.99),
      clock(3.1),
      key(3.05, false),
      clock(3.5),
    ]);
    expect(resultsOf(effects)).toMatchObject([{ layers: [{ notes: 1 }] }]);
  });

  it('has an empty range when it is stopped in the count', () => {
    const { effects } = run([record, key(0.4), { type: 'stop', at: 1 }, clock(1.5)]);
    expect(layersOf(effects)[0]!.closing.range).toEqual({ from: 3840, to: 3840 });
    expect(resultsOf(effects)).toMatchObject([{ layers: [{ notes: 0 }] }]);
  });

  it('listens to the keyboard in the brief and to no other', () => {
    const one: PassInput = { type: 'record', plan: planOf({ routes: [{ ...EVERYTHING, keyboard: 'bench' }] }) };
    const { effects } = run([one, key(2.1, true, 'other'), key(2.2), { type: 'stop', at: 3 }, clock(4)]);
    expect(effects.filter((e) => e.type === 'keep')).toHaveLength(1);
  });

  it('gives every part that listens the same events', () => {
    const two = planOf({
      layers: [header({ id: 'a', partId: 'a' }), header({ id: 'b', partId: 'b' })],
      routes: [EVERYTHING, EVERYTHING],
    });
    const [a, b] = layersOf(run([{ type: 'record', plan: two }, key(2.1), { type: 'stop', at: 3 }, clock(4)]).effects);
    expect(a!.events).toEqual(b!.events);
  });

  it('gives each part what its route hears: two keyboards to two parts, or one keyboard shared at a key', () => {
    const both = (a: Partial<typeof EVERYTHING>, b: Partial<typeof EVERYTHING>) =>
      planOf({
        layers: [
          header({ id: 'a', partId: 'a', planned: { from: 3840, to: 7680 } }),
          header({ id: 'b', partId: 'b', planned: { from: 3840, to: 7680 } }),
        ],
        routes: [
          { ...EVERYTHING, ...a },
          { ...EVERYTHING, ...b },
        ],
      });
    const of = (plan: PassPlan, ...inputs: PassInput[]) => {
      const { effects } = run([{ type: 'record', plan }, ...inputs, { type: 'stop', at: 3.5 }, clock(4)]);
      const kept = (id: string) =>
        effects.flatMap((e) => (e.type === 'keep' && e.layerId === id ? [e.event.message] : []));
      return { a: kept('a'), b: kept('b'), notes: resultsOf(effects)[0]!.layers.map((l) => l.notes) };
    };
    const two = of(
      both({ keyboard: 'one' }, { keyboard: 'two' }),
      key(2.1, true, 'one'),
      key(2.2, true, 'two'),
      key(2.3, true, 'three'),
    );
    expect([two.a.length, two.b.length, two.notes]).toEqual([1, 1, [1, 1]]);
    const low: PassInput = { type: 'key', at: 2.2, port: 'x', message: { type: 'noteOn', key: 40, velocity: 80 } };
    const pedal: PassInput = {
      type: 'key',
      at: 2.3,
      port: 'x',
      message: { type: 'control', controller: 64, value: 127 },
    };
    const split = of(both({ low: 60 }, { high: 59 }), key(2.1), low, pedal);
    expect(split.a.map((m) => m.type)).toEqual(['noteOn', 'control']);
    expect(split.b).toEqual([low.message, pedal.message]);
    expect(split.notes).toEqual([1, 1]);
  });

  it('shares every event among the routes that hear it, and loses none that any of them does', () => {
    const routes = fc.record({
      keyboard: fc.constantFrom(null, 'one', 'two'),
      low: fc.integer({ min: 0, max: 70 }),
      high: fc.integer({ min: 50, max: 127 }),
    });
    fc.assert(
      fc.property(
        routes,
        routes,
        layerEvents(2.2, 3.4),
        fc.constantFrom('one', 'two'),
        (first, second, events, port) => {
          const plan = planOf({
            layers: [header({ id: 'a', partId: 'a' }), header({ id: 'b', partId: 'b' })],
            routes: [first, second],
          });
          const inputs = events.map((e): PassInput => ({ type: 'key', at: e.at, port, message: e.message }));
          const { effects } = run([{ type: 'record', plan }, clock(2.1), ...inputs]);
          [first, second].forEach((route, i) => {
            const kept = effects.flatMap((e) => (e.type === 'keep' && e.layerId === 'ab'[i] ? [e.event] : []));
            expect(kept).toEqual(events.filter((e) => admits(route, port, e.message)));
          });
        },
      ),
    );
  });

  it('lets a part listen once, and none that is no longer there', () => {
    const base = newSong('x', 'piano');
    const song = {
      ...base,
      parts: [...base.parts, newPart({ id: 'organ', name: 'Organ' }, 1)],
      brief: {
        ...base.brief,
        also: ['organ', 'piano', 'gone', 'organ'].map((part) => ({ part, keyboard: null, low: 0, high: 59 })),
      },
    };
    expect(listenersOf(song).map((l) => [l.part.id, l.route.high])).toEqual([
      ['piano', 127],
      ['organ', 59],
    ]);
    expect(listenersOf({ ...song, brief: { ...song.brief, part: null, also: [] } })).toEqual([]);
  });

  it('closes in one step when the clock is read late', () => {
    expect(run([record, clock(99)]).effects.map((e) => e.type)).toEqual([
      'openLayer',
      'roll',
      'halt',
      'closeLayer',
      'recorded',
      'finished',
    ]);
  });

  it('starts over from playing, and passes over what makes no sense', () => {
    expect(run([{ type: 'play', from: 0, endsAt: 9 }, record]).phases).toEqual(['playing', 'counting']);
    expect(run([record, record, { type: 'play', from: 0, endsAt: 9 }]).phases).toEqual([
      'counting',
      'counting',
      'counting',
    ]);
    expect(run([{ type: 'stop', at: 0 }, clock(4), key(1)])).toMatchObject({ state: IDLE, effects: [] });
    expect(run([{ type: 'play', from: 0, endsAt: 9 }, key(1), clock(9)]).effects.map((e) => e.type)).toEqual([
      'roll',
      'halt',
    ]);
    expect(() => pass(IDLE, { type: 'record', plan: planOf({ layers: [] }) })).toThrow(RangeError);
  });

  const inputs = fc
    .tuple(layerEvents(0, 5), fc.constantFrom(...MODES), real(0, 4.5))
    .map(([events, mode, stop]): PassInput[] => [
      { type: 'record', plan: planOf({ mode }) },
      ...events.flatMap((e): PassInput[] => [{ type: 'key' as const, port: 'bench', ...e }, clock(e.at)]),
      { type: 'stop', at: stop },
      clock(5),
    ]);

  it('replayed from its inputs gives the same layers, bit for bit', () => {
    fc.assert(
      fc.property(inputs, (log) => {
        const first = run(log).effects;
        const again = run(JSON.parse(JSON.stringify(log)) as PassInput[]).effects;
        expect(JSON.stringify(again)).toBe(JSON.stringify(first));
      }),
    );
  });

  it('takes many keys at once as it takes one after another', () => {
    fc.assert(
      fc.property(layerEvents(2.01, 3.9), fc.boolean(), (events, loop) => {
        const plan = planOf(loop ? { loop: { from: 3840, laps: 'build up' } } : {});
        const heard = events.map((e) => ({ port: 'x', ...e }));
        const after = (keys: PassInput[]) =>
          run([{ type: 'record', plan }, clock(2.005), ...keys, { type: 'stop', at: 3.95 }, clock(6)]).effects;
        expect(after([{ type: 'keys', heard }])).toEqual(after(heard.map((h): PassInput => ({ type: 'key', ...h }))));
      }),
    );
  });

  it('releases every note it closes over', () => {
    fc.assert(
      fc.property(inputs, (log) => {
        for (const layer of layersOf(run(log).effects)) {
          const { from, to } = layer.closing.range;
          expect(to).toBeGreaterThanOrEqual(from);
          readTake([layer], layer.header.placement).notes.forEach((n) => expect(n.end).toBeLessThanOrEqual(to));
          layer.closing.clears.forEach((c) => expect(c.from >= from && c.to <= to).toBe(true));
        }
      }),
    );
  });

  it('that is a new take clears nothing', () => {
    fc.assert(
      fc.property(layerEvents(0, 5), (events) => {
        const log: PassInput[] = [
          { type: 'record', plan: planOf() },
          ...events.map((e): PassInput => ({ type: 'key', port: 'x', ...e })),
          clock(9),
        ];
        layersOf(run(log).effects).forEach((l) => expect(l.closing.clears).toEqual([]));
      }),
    );
  });
});

const as = { policy: 'heard', nudge: 0 } as const;
const read = (layer: Layer) => readLayer(layer, as).notes.map((n) => [n.start, Math.round(n.end)]);

describe('a lead-in', () => {
  const led = planOf({ music: 0, range: { from: 3840, to: 7680 }, leadOut: 3840 });

  it('plays music before the recording, and a lead-out after it', () => {
    const { phases, effects } = run([
      { type: 'record', plan: led },
      clock(-1),
      clock(0.1),
      clock(2.1),
      clock(4.1),
      clock(6.01),
      clock(6 + LATEST),
    ]);
    expect(phases).toEqual(['counting', 'counting', 'lead-in', 'recording', 'lead-out', 'stopping', 'idle']);
    expect(effects.find((e) => e.type === 'roll')).toMatchObject({ from: -2, music: 0 });
    expect(effects.find((e) => e.type === 'halt')).toEqual({ type: 'halt', at: 6 });
  });

  it('lets a note held at the punch-out ring to its own end in the lead-out, and no further', () => {
    const played = (off: number) =>
      layersOf(
        run([
          { type: 'record', plan: led },
          clock(2.1),
          key(3.5),
          clock(4.2),
          key(off, false),
          key(4.3, true, 'bench', 62),
          clock(7),
        ]).effects,
      )[0]!;
    expect(read(played(4.5))).toEqual([[3.5 * 1920, 4.5 * 1920]]);
    expect(read(played(6.2))).toEqual([[3.5 * 1920, 6 * 1920]]);
    expect(
      read(
        layersOf(
          run([{ type: 'record', plan: planOf() }, clock(2.1), key(3.5), clock(4.2), key(4.3, false), clock(7)])
            .effects,
        )[0]!,
      ),
    ).toEqual([[3.5 * 1920, 7680]]);
    expect(
      read(
        layersOf(
          run([
            { type: 'record', plan: led },
            clock(2.1),
            key(3.5),
            clock(4.2),
            { type: 'stop', at: 5 },
            key(5.3, false),
            clock(7),
          ]).effects,
        )[0]!,
      ),
    ).toEqual([[3.5 * 1920, 5 * 1920]]);
  });
});

describe('waiting for a note', () => {
  const waits = (wait: 'start' | 'join', over: Partial<PassPlan> = {}): PassInput => ({
    type: 'record',
    plan: planOf({ wait, ...over }),
  });

  it('goes round until it comes, and its first tick is the start', () => {
    const { phases, effects } = run([
      waits('start'),
      clock(5),
      pedal(9, 127),
      clock(11),
      key(11.3),
      key(11.31, true, 'bench', 64),
      clock(2.2),
      key(2.5, false),
      { type: 'stop', at: 3 },
      clock(3.5),
    ]);
    expect(phases.slice(0, 5)).toEqual(['waiting', 'waiting', 'waiting', 'waiting', 'recording']);
    expect(effects.find((e) => e.type === 'begin')).toMatchObject({ by: expect.closeTo(9.3, 9) as number });
    const [layer] = layersOf(effects);
    expect(readLayer(layer!, as).notes[0]!.start).toBeCloseTo(3840, 6);
    expect(valuesBefore(readLayer(layer!, as).controls, 3841).get('control 64')?.value).toBe(127);
  });

  it('puts the note on the first tick under every placement', () => {
    for (const policy of ['played', 'heard'] as const) {
      const placed = header({
        planned: { from: 3840, to: 7680 },
        placement: { policy, nudge: 7 },
        latency: { output: 0.06, input: 0.004 },
      });
      const { effects } = run([waits('start', { layers: [placed] }), key(7.77), { type: 'stop', at: 3 }, clock(4)]);
      expect(readLayer(layersOf(effects)[0]!, placed.placement).notes[0]!.start).toBeCloseTo(3840, 6);
    }
  });

  it('joins the count without breaking the pulse: the bar it falls in is the first', () => {
    const starts = (at: number) => {
      const { effects, state } = run([waits('join'), clock(at), key(at)]);
      const begin = effects.find((e) => e.type === 'begin');
      return [begin?.type === 'begin' ? begin.by : NaN, state.phase];
    };
    expect(starts(6.7)).toEqual([4, 'recording']);
    // Just ahead of a bar means that bar; the music has not begun then.
    expect(starts(7.9)).toEqual([6, 'counting']);
    // In the very first bar of the count.
    expect(starts(0.5)).toEqual([-2, 'recording']);
  });

  it('never loses the first note or its place against the pulse, at any tempo', () => {
    fc.assert(
      fc.property(
        real(30, 300),
        real(0.01, 60),
        fc.constantFrom('start' as const, 'join' as const),
        (bpm, at, wait) => {
          const beat = 60 / bpm;
          const range = { from: 3840, to: 40_000 };
          const plan = planOf({
            wait,
            range,
            round: { bar: 4 * beat, beats: [], ahead: beat / 4 },
            count: { from: 0, beats: [] },
            layers: [header({ tempo: [{ tick: 0, bpm }], planned: range })],
          });
          const struck = 4 * beat + at;
          const { effects, state } = run([{ type: 'record', plan }, key(struck)]);
          const begin = effects.find((e) => e.type === 'begin');
          const by = begin?.type === 'begin' ? begin.by : NaN;
          const after = run(
            [
              key(struck - by + 0.4 * beat, false),
              { type: 'stop', at: struck - by + 2 * beat },
              clock(struck - by + 2 * beat + 1),
            ],
            state,
          );
          const [layer] = layersOf([...effects, ...after.effects]);
          const [note] = readLayer(layer!, as).notes;
          expect(note).toBeDefined();
          if (wait === 'start') expect(note!.start).toBeCloseTo(range.from, 4);
          else {
            // By whole bars, and into the first bar or its allowance.
            expect(Math.abs(by / (4 * beat) - Math.round(by / (4 * beat)))).toBeLessThan(1e-6);
            expect(layer!.events[0]!.at).toBeGreaterThanOrEqual(4 * beat - beat / 4 - 1e-6);
            expect(layer!.events[0]!.at).toBeLessThan(8 * beat);
          }
        },
      ),
    );
  });

  it('waits on while only pedals move, and stops when it is told to', () => {
    expect(run([waits('start'), pedal(3, 127), clock(60), { type: 'stop', at: 61 }, clock(62)]).phases).toEqual([
      'waiting',
      'waiting',
      'waiting',
      'stopping',
      'idle',
    ]);
  });
});

describe('a manual punch', () => {
  const plan = planOf({
    punched: true,
    range: { from: 3840, to: 64 * 1920 },
    layers: [header({ planned: { from: 3840, to: 64 * 1920 } })],
  });
  const play: PassInput = { type: 'play', from: 0, endsAt: 64 };

  it('records from the press to the press, and plays on', () => {
    const { phases, effects } = run([
      play,
      clock(1),
      { type: 'punch in', at: 2, plan },
      key(2.2),
      key(2.4, false),
      { type: 'punch out', at: 3 },
      clock(3.2),
      clock(3.5),
      clock(64),
    ]);
    expect(phases).toEqual([
      'playing',
      'playing',
      'recording',
      'recording',
      'recording',
      'playing',
      'playing',
      'playing',
      'idle',
    ]);
    expect(effects.map((e) => e.type)).toEqual([
      'roll',
      'openLayer',
      'keep',
      'keep',
      'closeLayer',
      'recorded',
      'finished',
      'halt',
    ]);
    expect(layersOf(effects)[0]!.closing.range).toEqual({ from: 3840, to: 5760 });
  });

  it('has the note that was struck with the press, and the pedal that was down', () => {
    const { effects } = run([
      play,
      pedal(0.3, 127),
      key(1, true, 'bench', 50),
      key(1.95),
      clock(1.97),
      { type: 'punch in', at: 2, plan },
      key(2.4, false),
      { type: 'punch out', at: 3 },
      clock(4),
    ]);
    const [layer] = layersOf(effects);
    expect(read(layer!)).toEqual([[3840, 2.4 * 1920]]);
    expect(valuesBefore(readLayer(layer!, as).controls, 3841).get('control 64')?.value).toBe(127);
  });

  it('ends at the out by itself and plays on, and at the song’s end with it', () => {
    const short = planOf({ punched: true });
    expect(run([play, { type: 'punch in', at: 2, plan: short }, clock(4.1), clock(5)]).phases).toEqual([
      'playing',
      'recording',
      'playing',
      'playing',
    ]);
    const last = planOf({ punched: true, songEnds: 4 });
    expect(
      run([{ type: 'play', from: 0, endsAt: 4 }, { type: 'punch in', at: 2, plan: last }, clock(4.1), clock(5)]).phases,
    ).toEqual(['playing', 'recording', 'stopping', 'idle']);
  });

  it('can follow another at once', () => {
    const again = planOf({
      ...plan,
      passId: 'again',
      range: { from: 6000, to: 64 * 1920 },
      layers: [header({ id: 'second', passId: 'again', planned: { from: 6000, to: 64 * 1920 } })],
    });
    const { effects } = run([
      play,
      { type: 'punch in', at: 2, plan },
      key(2.5),
      key(2.6, false),
      { type: 'punch out', at: 3 },
      { type: 'punch in', at: 3.125, plan: again },
      key(3.3),
      key(3.4, false),
      clock(3.5),
      { type: 'stop', at: 5 },
      clock(6),
    ]);
    expect(resultsOf(effects).map((r) => [r.passId, r.layers[0]!.notes])).toEqual([
      ['pass', 1],
      ['again', 1],
    ]);
  });
});

describe('the parts that hear the keys', () => {
  it('can change while rolling: each note is on the part that was listening when it was struck', () => {
    const [a, b] = [
      header({ id: 'a', partId: 'a', planned: { from: 3840, to: 7680 } }),
      header({ id: 'b', partId: 'b', planned: { from: 3840, to: 7680 } }),
    ];
    const { effects } = run([
      { type: 'record', plan: planOf({ layers: [a], mode: 'replace' }) },
      clock(2.1),
      pedal(2.2, 90),
      key(2.5),
      { type: 'listen', at: 3, layers: [b], routes: [EVERYTHING] },
      key(3.1, true, 'bench', 62),
      key(3.2, false),
      key(3.3, false, 'bench', 62),
      clock(5),
    ]);
    const [one, two] = layersOf(effects);
    expect(read(one!)).toEqual([[4800, 5760]]);
    expect(one!.closing).toMatchObject({ range: { from: 3840, to: 5760 }, clears: [{ from: 3840, to: 5760 }] });
    expect(read(two!)).toEqual([[3.1 * 1920, 3.3 * 1920]]);
    expect(two!.closing.clears).toEqual([{ from: 5760, to: 7680 }]);
    expect(readLayer(two!, as).controls[0]).toMatchObject({ at: 5760, message: { value: 90 } });
  });
});

describe('a loop', () => {
  /** Bar 2 at 120: two seconds a lap. */
  const loopPlan = (laps: (typeof LAP_POLICIES)[number], over: Partial<PassPlan> = {}): PassPlan =>
    planOf({
      loop: { from: 3840, laps },
      layers: [header({ planned: { from: 3840, to: 7680 }, laps, lap: 0 })],
      ...over,
    });
  const looped = (laps: (typeof LAP_POLICIES)[number], ...inputs: PassInput[]) =>
    run([{ type: 'record', plan: loopPlan(laps) }, clock(2.01), ...inputs]);

  it('knows where the song is, whatever the lap', () => {
    const loop = { from: 2, to: 4 };
    expect([0, 3.9, 4, 5.5, 10.25].map((r) => songAt(loop, r))).toEqual([0, 3.9, 2, 3.5, 2.25]);
    expect([0, 3.9, 4, 5.5, 10.25].map((r) => lapAt(loop, r))).toEqual([0, 0, 1, 1, 4]);
    expect(songAt(null, 99)).toBe(99);
  });

  it('makes a layer of each lap, in the place where it was played', () => {
    const { effects, phases } = looped(
      'a new take each',
      key(2.5),
      key(2.75, false),
      clock(4.1),
      key(5),
      key(5.5, false),
      clock(6.5),
      { type: 'stop', at: 7 },
      clock(9),
    );
    expect(phases.at(-1)).toBe('idle');
    expect(layersOf(effects).map((l) => [l.header.id, l.header.takeId, read(l)])).toEqual([
      // The third lap, in which nothing was sent, leaves none.
      ['layer', 'take', [[4800, 5280]]],
      ['layer.1', 'take.1', [[5760, 6720]]],
    ]);
    expect(layersOf(effects).map((l) => l.closing.range.to)).toEqual([7680, 7680]);
  });

  it('ends a note at the lap boundary and does not play it again, but for one just ahead and held over it', () => {
    const { effects } = looped(
      'build up',
      key(3.5),
      key(3.95, true, 'bench', 67),
      clock(4.3),
      key(4.5, false),
      key(4.6, false, 'bench', 67),
      { type: 'stop', at: 5.5 },
      clock(7),
    );
    expect(layersOf(effects).map(read)).toEqual([[[3.5 * 1920, 7680]], [[3840, 2.6 * 1920]]]);
    // Let go before the lap boundary it is the end of its lap.
    const short = looped(
      'build up',
      key(3.9),
      key(3.97, false),
      clock(4.3),
      key(4.5, true, 'bench', 50),
      { type: 'stop', at: 5.5 },
      clock(7),
    );
    expect(layersOf(short.effects).map((l) => read(l).length)).toEqual([1, 1]);
    // And a lap that is stopped as it begins leaves it with the lap before.
    const stopped = looped('build up', key(3.95), clock(4.05), { type: 'stop', at: 4.1 }, clock(5));
    expect(layersOf(stopped.effects).map(read)).toEqual([[[3.95 * 1920, 7680]], []]);
  });

  it('carries a pedal that is held over the lap boundary into the next lap', () => {
    const { effects } = looped(
      'build up',
      pedal(3, 127),
      key(3.2),
      key(3.3, false),
      clock(4.3),
      key(4.5),
      key(4.6, false),
      pedal(5, 0),
      { type: 'stop', at: 5.5 },
      clock(7),
    );
    const pedals = layersOf(effects).map((l) => readLayer(l, as).controls.map((c) => [c.at, c.message.value]));
    expect(pedals).toEqual([
      [
        [5760, 127],
        [7680, 0],
      ],
      [
        [3840, 127],
        [5760, 0],
      ],
    ]);
  });

  it('is joined by a punch in the middle of a lap', () => {
    const play: PassInput = { type: 'play', from: 0, endsAt: 64, loop: { from: 2, to: 4 } };
    const plan = loopPlan('a new take each', {
      punched: true,
      range: { from: 5760, to: 7680 },
      loop: { from: 3840, laps: 'a new take each' },
      layers: [header({ planned: { from: 5760, to: 7680 }, laps: 'a new take each', lap: 0 })],
    });
    const { effects, phases } = run([
      play,
      clock(6.5),
      { type: 'punch in', at: 7, plan },
      key(7.5),
      key(7.6, false),
      clock(8.2),
      key(8.5),
      key(8.75, false),
      { type: 'punch out', at: 9.5 },
      clock(12),
    ]);
    expect(phases.at(-1)).toBe('playing');
    expect(layersOf(effects).map((l) => [l.closing.range, read(l)])).toEqual([
      [{ from: 5760, to: 7680 }, [[6720, 6912]]],
      [{ from: 3840, to: 6720 }, [[4800, 5280]]],
    ]);
  });

  it('loses nothing of what is played, whatever the laps do', () => {
    fc.assert(
      fc.property(layerEvents(2, 12), fc.constantFrom(...LAP_POLICIES), real(0, 0.3), (events, laps, late) => {
        const inputs = events.flatMap((e): PassInput[] => [{ type: 'key', port: 'x', ...e }, clock(e.at + late)]);
        const { effects } = run([
          { type: 'record', plan: loopPlan(laps) },
          clock(2),
          ...inputs,
          { type: 'stop', at: 12 },
          clock(14),
        ]);
        const said = (e: { at: number; message: unknown }) => `${e.at.toFixed(6)} ${JSON.stringify(e.message)}`;
        const kept = new Set(
          layersOf(effects).flatMap((l) =>
            l.events.map((e) => said({ at: e.at + 2 * (l.header.lap ?? 0), message: e.message })),
          ),
        );
        expect([...kept].sort()).toEqual([...new Set(events.map(said))].sort());
      }),
    );
  });

  it('reads every note in exactly one lap', () => {
    // Notes that do not overlap on a key, their ends apart from the lap boundaries by more than rounding.
    const played = fc
      .array(fc.record({ at: fc.integer({ min: 2001, max: 11_500 }), length: fc.integer({ min: 5, max: 900 }) }), {
        maxLength: 12,
      })
      .map((all) =>
        all.filter((s) => s.at % 2000 !== 0 && (s.at + s.length) % 2000 !== 0).map((s, i) => ({ ...s, key: 40 + i })),
      );
    fc.assert(
      fc.property(played, fc.constantFrom(...LAP_POLICIES), (all, laps) => {
        const inputs = all
          .flatMap(({ at, length, key: k }) => [key(at / 1000, true, 'x', k), key((at + length) / 1000, false, 'x', k)])
          .sort((a, b) => ('at' in a && 'at' in b ? a.at - b.at : 0));
        const { effects } = run([
          { type: 'record', plan: loopPlan(laps) },
          clock(2),
          ...inputs.flatMap((i) => [i, clock('at' in i ? i.at : 0)]),
          { type: 'stop', at: 14 },
          clock(16),
        ]);
        const read = layersOf(effects)
          .flatMap((l) => readLayer(l, as).notes.map((n) => n.key))
          .sort();
        expect(read).toEqual(all.map((s) => s.key).sort());
      }),
    );
  });
});
