import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layerEvents, notes } from '../testing/arbitraries';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import type { Layer, LayerEvent } from '../takes/layer';
import { readTake } from '../takes/take';
import { clearsOf, MODES, phrases } from './clears';
import { countOff } from './count';
import { IDLE, LATEST, pass, type PassEffect, type PassInput, type PassPlan, type PassState } from './pass';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const tempo = tempoMap([{ tick: 0, bpm: 120 }]);

describe('a count-off', () => {
  it('of two bars before bar 1 counts eight beats down, the bars accented', () => {
    const count = countOff(tempo, meter, 0, 2);
    expect(count.from).toBe(-4);
    expect(count.beats.map((b) => b.at)).toEqual([-4, -3.5, -3, -2.5, -2, -1.5, -1, -0.5]);
    expect(count.beats.map((b) => b.left)).toEqual([8, 7, 6, 5, 4, 3, 2, 1]);
    expect(count.beats.filter((b) => b.accent === 'bar').map((b) => b.at)).toEqual([-4, -2]);
  });

  it('keeps the meter and tempo that hold where the music starts', () => {
    const changing = tempoMap([{ tick: 0, bpm: 60 }, { tick: 3840, bpm: 120 }]);
    const sixEight = meterMap([{ bar: 1, beats: 4, unit: 4 }, { bar: 2, beats: 6, unit: 8 }]);
    const count = countOff(changing, sixEight, 3840, 1);
    expect(count.beats.map((b) => b.at)).toEqual([4 - 1.5, 4 - 1.25, 3, 3.25, 3.5, 3.75]);
    expect(count.beats.map((b) => b.accent)).toEqual(['bar', 'beat', 'beat', 'group', 'beat', 'beat']);
  });

  it('leads into the middle of a bar without breaking the pulse', () => {
    const count = countOff(tempo, meter, 3840 + 1920, 1);
    expect(count.beats.map((b) => b.at)).toEqual([1, 1.5, 2, 2.5]);
    expect(count.beats.map((b) => b.accent)).toEqual(['beat', 'beat', 'bar', 'beat']);
    expect(countOff(tempo, meter, 3840 + 480, 1).beats.map((b) => b.at)).toEqual([0.5, 1, 1.5, 2]);
  });

  it('of no bars is no count', () => {
    expect(countOff(tempo, meter, 3840, 0)).toEqual({ from: 2, beats: [] });
  });
});

describe('what a mode clears', () => {
  const range = { from: 0, to: 10_000 };
  const note = (start: number, end: number) => ({ id: `${start}`, key: 60, velocity: 9, release: 0, start, end });

  it('follows the phrases, and a short gap does not end one', () => {
    expect(phrases([note(0, 400), note(1300, 1500), note(3000, 3100)], 960)).toEqual([{ from: 0, to: 1500 }, { from: 3000, to: 3100 }]);
    expect(clearsOf('replace while I play', range, [note(100, 300)])).toEqual([{ from: 100, to: 300 }]);
    expect(clearsOf('replace from my first note', range, [note(100, 300)])).toEqual([{ from: 100, to: 10_000 }]);
    expect(clearsOf('replace', range, [])).toEqual([range]);
    expect(clearsOf('merge', range, [note(1, 2)])).toEqual([]);
  });

  it('is never more than replace would clear', () => {
    fc.assert(fc.property(fc.constantFrom(...MODES), notes, (mode, all) => {
      const recorded = { from: 0, to: 40_000 };
      clearsOf(mode, recorded, all).forEach((c) => {
        expect(c.from).toBeGreaterThanOrEqual(recorded.from);
        expect(c.to).toBeLessThanOrEqual(recorded.to);
      });
    }));
  });
});

const planOf = (over: Partial<PassPlan> = {}): PassPlan => ({
  passId: 'pass', mode: 'new take', count: countOff(tempo, meter, 3840, 1), range: { from: 3840, to: 7680 },
  keyboard: null, layers: [header({ planned: { from: 3840, to: 7680 } })], ...over,
});
const key = (at: number, on = true, port = 'bench'): PassInput =>
  ({ type: 'key', at, port, message: on ? { type: 'noteOn', key: 60, velocity: 80 } : { type: 'noteOff', key: 60, velocity: 64 } });
const clock = (at: number): PassInput => ({ type: 'clock', at });

function run(inputs: PassInput[], from: PassState = IDLE): { state: PassState; effects: PassEffect[]; phases: string[] } {
  const effects: PassEffect[] = [];
  const phases: string[] = [];
  let state = from;
  for (const input of inputs) {
    const step = pass(state, input);
    state = step.state;
    effects.push(...step.effects);
    phases.push(state.phase);
  }
  return { state, effects, phases };
}

/** What storage would hold after these effects. */
function layersOf(effects: readonly PassEffect[]): Layer[] {
  return effects.flatMap((open): Layer[] => {
    if (open.type !== 'openLayer') return [];
    const { id } = open.header;
    const events = effects.flatMap((e): LayerEvent[] => (e.type === 'keep' && e.layerId === id ? [e.event] : []));
    return effects.flatMap((e) => (e.type === 'closeLayer' && e.layerId === id ? [{ header: open.header, events, closing: e.closing }] : []));
  });
}

describe('a pass', () => {
  const record: PassInput = { type: 'record', plan: planOf() };

  it('counts off, records, and stops at the end of its range', () => {
    const { phases, effects, state } = run([record, clock(0.1), clock(2), clock(3.9), clock(4.01), clock(4 + LATEST)]);
    expect(phases).toEqual(['counting', 'counting', 'recording', 'recording', 'stopping', 'idle']);
    expect(effects.map((e) => e.type)).toEqual(['openLayer', 'roll', 'halt', 'closeLayer', 'finished']);
    expect(effects[1]).toMatchObject({ from: 0, music: 2 });
    expect(effects[2]).toEqual({ type: 'halt', at: 4 });
    expect(state).toEqual(IDLE);
  });

  it('keeps what is played in the count, and reads what counts', () => {
    const { effects } = run([record, key(0.5), key(0.6, false), key(1.95), clock(2.1), key(2.4, false), { type: 'stop', at: 3 }, clock(3.3)]);
    const [layer] = layersOf(effects);
    expect(layer!.events).toHaveLength(4);
    expect(layer!.closing.range).toEqual({ from: 3840, to: 5760 });
    expect(readTake([layer!], layer!.header.placement).notes.map((n) => [n.start, n.end])).toEqual([[3840, 2.4 * 1920]]);
  });

  it('takes in a strike made before the stop that arrives after it', () => {
    const { effects } = run([record, clock(2), { type: 'stop', at: 3 }, key(2.99), clock(3.1), key(3.05, false), clock(3.3)]);
    const finished = effects.find((e) => e.type === 'finished');
    expect(finished).toMatchObject({ result: { layers: [{ notes: 1 }] } });
  });

  it('has an empty range when it is stopped in the count', () => {
    const { effects } = run([record, key(0.4), { type: 'stop', at: 1 }, clock(1.3)]);
    expect(layersOf(effects)[0]!.closing.range).toEqual({ from: 3840, to: 3840 });
    expect(effects.at(-1)).toMatchObject({ result: { layers: [{ notes: 0 }] } });
  });

  it('listens to the keyboard in the brief and to no other', () => {
    const one: PassInput = { type: 'record', plan: planOf({ keyboard: 'bench' }) };
    const { effects } = run([one, key(2.1, true, 'other'), key(2.2), { type: 'stop', at: 3 }, clock(4)]);
    expect(effects.filter((e) => e.type === 'keep')).toHaveLength(1);
  });

  it('gives every part that listens the same events', () => {
    const two = planOf({ layers: [header({ id: 'a', partId: 'a' }), header({ id: 'b', partId: 'b' })] });
    const [a, b] = layersOf(run([{ type: 'record', plan: two }, key(2.1), { type: 'stop', at: 3 }, clock(4)]).effects);
    expect(a!.events).toEqual(b!.events);
  });

  it('closes in one step when the clock is read late', () => {
    expect(run([record, clock(99)]).effects.map((e) => e.type)).toEqual(['openLayer', 'roll', 'halt', 'closeLayer', 'finished']);
  });

  it('starts over from playing, and passes over what makes no sense', () => {
    expect(run([{ type: 'play', from: 0, endsAt: 9 }, record]).phases).toEqual(['playing', 'counting']);
    expect(run([record, record, { type: 'play', from: 0, endsAt: 9 }]).phases).toEqual(['counting', 'counting', 'counting']);
    expect(run([{ type: 'stop', at: 0 }, clock(4), key(1)])).toMatchObject({ state: IDLE, effects: [] });
    expect(run([{ type: 'play', from: 0, endsAt: 9 }, key(1), clock(9)]).effects.map((e) => e.type)).toEqual(['roll', 'halt']);
    expect(() => pass(IDLE, { type: 'record', plan: planOf({ layers: [] }) })).toThrow(RangeError);
  });

  const inputs = fc.tuple(layerEvents(0, 5), fc.constantFrom(...MODES), fc.double({ min: 0, max: 4.5, noNaN: true })).map(([events, mode, stop]): PassInput[] => [
    { type: 'record', plan: planOf({ mode }) },
    ...events.flatMap((e): PassInput[] => [{ type: 'key', port: 'bench', ...e }, clock(e.at)]),
    { type: 'stop', at: stop }, clock(5),
  ]);

  it('replayed from its inputs gives the same layers, bit for bit', () => {
    fc.assert(fc.property(inputs, (log) => {
      const first = run(log).effects;
      const again = run(JSON.parse(JSON.stringify(log)) as PassInput[]).effects;
      expect(JSON.stringify(again)).toBe(JSON.stringify(first));
    }));
  });

  it('releases every note it closes over', () => {
    fc.assert(fc.property(inputs, (log) => {
      for (const layer of layersOf(run(log).effects)) {
        const { from, to } = layer.closing.range;
        expect(to).toBeGreaterThanOrEqual(from);
        readTake([layer], layer.header.placement).notes.forEach((n) => expect(n.end).toBeLessThanOrEqual(to));
        layer.closing.clears.forEach((c) => expect(c.from >= from && c.to <= to).toBe(true));
      }
    }));
  });

  it('that is a new take clears nothing', () => {
    fc.assert(fc.property(layerEvents(0, 5), (events) => {
      const log: PassInput[] = [{ type: 'record', plan: planOf() }, ...events.map((e): PassInput => ({ type: 'key', port: 'x', ...e })), clock(9)];
      layersOf(run(log).effects).forEach((l) => expect(l.closing.clears).toEqual([]));
    }));
  });
});
