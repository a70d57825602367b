import { describe, expect, it } from 'vitest';
import { clock, key, layersOf, pedal, planOf, run } from '../testing/passes';
import { header } from '../testing/arbitraries';
import { valuesBefore } from '../performance/controls';
import { change } from '../song/changes';
import { newPart } from '../document/part';
import { newSong, type SongDocument } from '../document/document';
import { readLayer, type Layer } from '../takes/layer';
import { EVERYTHING } from './inputRoutes';
import { type PassInput } from './state';

const HEARD = { policy: 'heard', nudge: 0 } as const;

const press = (at: number, number: number, on = true): PassInput => key(at, on, 'x', number);

const struck = (layers: readonly Layer[], placement = HEARD as Layer['header']['placement']) =>
  layers.map((l) => readLayer(l, placement).notes.map((n) => n.key));

const stop = (at: number): PassInput => ({ type: 'stop', at });

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
  const second: PassInput = { type: 'listen', at: 3, layers: [own('organ')], routes: [EVERYTHING] };

  it('has its first note, at its own place, as I played it and with no allowance', () => {
    const { effects } = run([
      { type: 'record', plan: planOf({ layers: [own('piano')] }) },
      clock(2),
      press(2.5, 60),
      press(2.6, 60, false),
      second,
      press(3, 64),
      press(3.4, 64, false),
      stop(3.8),
      clock(9),
    ]);
    const [piano, organ] = layersOf(effects).sort((a, b) => (a.header.partId < b.header.partId ? 1 : -1));
    expect(struck([piano!, organ!], { policy: 'played', nudge: 0 })).toEqual([[60], [64]]);
    expect(readLayer(organ!, { policy: 'played', nudge: 0 }).notes[0]!.start).toBeCloseTo(2.95 * 1920, 6);
  });

  it('on the tick of a lap boundary leaves the part before it what was struck just ahead of that lap boundary', () => {
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
      press(3.9, 60),
      listens('organ'),
      press(4.1, 60, false),
      press(4.5, 64),
      press(4.7, 64, false),
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
      press(2.5, 60),
      press(2.7, 60, false),
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
      press(5.3, 60),
      press(5.5, 60, false),
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

describe('quantize while recording', () => {
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
