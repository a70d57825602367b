import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { clock, key, layersOf, pedal, planOf, resultsOf, run } from '../testing/passes';
import { change } from '../song/changes';
import { newSong, type SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { readLayer, type Layer } from '../takes/layer';
import { secondsAt } from '../time/tempo';
import { listenersOf } from './inputRoutes';
import { planPass } from './plan';
import { LAP_POLICIES } from '../vocabulary/modes';
import { LATEST, type PassInput, type PassPlan } from './state';
import { real } from '../testing/realNumbers';

const HEARD = { policy: 'heard', nudge: 0 } as const;

const press = (at: number, number: number, on = true): PassInput => key(at, on, 'x', number);

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

describe('the sound beside the keys', () => {
  const sound = { recording: 'tape', input: 0.004, frame: 0 };
  const sounding = (plan: PassPlan): PassPlan => ({ ...plan, layers: plan.layers.map((l) => ({ ...l, sound })) });
  const frames = (layers: readonly Layer[]) => layers.map((l) => l.header.sound?.frame);

  it('is one recording for all laps, each of which knows what is taken off its clock', () => {
    const { plan, from, length } = loopOf([{ tick: 0, bpm: 120 }], [5, 8]);
    const inputs = [0, 1, 2].flatMap((lap) => [
      clock(from + lap * length + 0.1),
      press(from + lap * length + 1, 60),
      press(from + lap * length + 2, 60, false),
    ]);
    const { effects } = run([
      { type: 'record', plan: sounding(plan) },
      ...inputs,
      stop(from + 3 * length - 1),
      clock(99),
    ]);
    expect(frames(layersOf(effects))).toEqual([0, length, 2 * length]);
  });

  it('that is punched in while a loop goes round knows how often it has gone round', () => {
    const plan = sounding(
      planOf({ range: { from: 4800, to: 7680 }, loop: { from: 3840, laps: 'a new take each' }, punched: true }),
    );
    const play: PassInput = { type: 'play', from: 2, endsAt: 64, loop: { from: 2, to: 4 } };
    const { effects } = run([play, clock(6.5), { type: 'punch in', at: 6.5, plan }, press(6.6, 60), stop(7), clock(9)]);
    expect(frames(layersOf(effects))).toEqual([4]);
  });

  it('makes a take of a pass in which no key was struck: something was recorded', () => {
    const silent = (plan: PassPlan) =>
      resultsOf(run([{ type: 'record', plan }, clock(3), stop(3.5), clock(9)]).effects)[0]!.layers.map(
        (l) => l.touched,
      );
    expect([silent(planOf()), silent(sounding(planOf()))]).toEqual([[false], [true]]);
  });
});

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
          press(from + (lap + 0.4) * length, 60 + lap),
          press(from + (lap + 0.5) * length, 60 + lap, false),
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
        real(30, 260),
        fc.integer({ min: 1, max: 20 }),
        fc.integer({ min: 1, max: 4 }),
        fc.constantFrom(...LAP_POLICIES),
        (bpm, first, bars, laps) => {
          const { plan, from, length } = loopOf([{ tick: 0, bpm }], [first, first + bars - 1], { laps });
          const inputs = [0, 1, 2].flatMap((lap) => [
            press(from + (lap + 0.4) * length, 60 + lap),
            press(from + (lap + 0.5) * length, 60 + lap, false),
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

describe('a note ahead of a lap boundary', () => {
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
    const boundary = from + length;
    const { effects } = run([
      { type: 'record', plan },
      clock(from),
      press(boundary - ahead, 60),
      press(boundary + 0.3, 60, false),
      clock(boundary + 1),
      stop(boundary + 1),
      clock(boundary + 9),
    ]);
    expect(struck(layersOf(effects)).flat()).toEqual([60]);
  });

  it('is in exactly one lap, in any tempo, at any place, however it is placed later', () => {
    const bpm = real(40, 220);
    fc.assert(
      fc.property(
        bpm,
        bpm,
        fc.integer({ min: 0, max: 960 }),
        real(0.001, 0.45),
        real(-0.3, 0.8),
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
          const boundary = from + length;
          const { effects } = run([
            { type: 'record', plan },
            clock(from),
            press(boundary - ahead, 60),
            clock(boundary - ahead + 0.0005),
            press(boundary + after, 60, false),
            clock(boundary + 1.5),
            press(boundary + 1.4, 64),
            stop(boundary + 1.5),
            clock(boundary + 9),
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

describe('a stop just after a lap boundary', () => {
  const { plan, from, length } = loopOf([{ tick: 0, bpm: 120 }], [2, 3]);
  const boundary = from + length;

  it('has a note that was made before it and arrives after it', () => {
    const { effects } = run([
      { type: 'record', plan },
      clock(from),
      press(from + 1, 60),
      press(from + 1.5, 60, false),
      clock(boundary + 0.05),
      stop(boundary + 0.1),
      press(boundary + 0.06, 64),
      press(boundary + 0.09, 64, false),
      clock(boundary + 0.2),
      clock(boundary + 9),
    ]);
    expect(struck(layersOf(effects))).toEqual([[60], [64]]);
  });

  it('has a note that a later nudge carries over the lap boundary, and one that it carries over the stop', () => {
    const { effects } = run([
      { type: 'record', plan },
      clock(from),
      press(boundary - 0.02, 60),
      press(boundary - 0.01, 60, false),
      clock(boundary + 0.05),
      stop(boundary + 0.1),
      clock(boundary + 9),
    ]);
    for (const nudge of [0, 30, 200])
      expect(struck(layersOf(effects), { policy: 'heard', nudge }).flat()).toEqual([60]);
    const plain = run([{ type: 'record', plan: planOf() }, clock(2), key(2.98), stop(3), clock(9)]);
    for (const nudge of [0, 30, 200])
      expect(struck(layersOf(plain.effects), { policy: 'heard', nudge }).flat()).toEqual([60]);
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
      press(from + 0.5, 60),
      press(from + 0.6, 60, false),
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
      [press(2.5, 64), press(2.6, 64, false)],
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
      press(from + 0.5, 60),
      press(from + 0.7, 60, false),
      clock(from + 3),
      press(late + 0.5, 64),
      press(late + 0.7, 64, false),
      stop(late + 1),
      clock(late + 9),
    ]);
    expect(layersOf(effects)).toHaveLength(2);
    // Told of every lap by the clock, it is the same.
    const told = Array.from({ length: 40 }, (_, i) => clock(from + 3 + i));
    const often = run([
      { type: 'record', plan },
      clock(from),
      press(from + 0.5, 60),
      press(from + 0.7, 60, false),
      ...told,
      press(from + 44.5, 64),
      press(from + 44.7, 64, false),
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
            at: real(0.05, 60),
            length: real(0.02, 9),
          }),
          { minLength: 1, maxLength: 6 },
        ),
        (notes) => {
          const { plan, from } = loopOf([{ tick: 0, bpm: 120 }], [2, 2]);
          const events = notes
            .flatMap(({ at, length }, i) => [press(from + at, 40 + i), press(from + at + length, 40 + i, false)])
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
