import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layerEvents, ranges } from '../testing/arbitraries';
import { valuesBefore } from '../performance/controls';
import { soundingEnds, type Reading } from '../performance/notes';
import { clear, readTake } from './take';
import { readLayer, type Layer } from './layer';
import { on, off, pedal, bend, range, layer, replacing, HEARD } from '../testing/layers';

const pedalAt = (reading: Reading, n: number): number =>
  valuesBefore(reading.controls, n * 960 + 1e-6).get('control 64')?.value ?? 0;

const ends = (reading: Reading) => {
  const all = soundingEnds(reading);
  return reading.notes.map((n) => all.get(n.id)! / 960);
};

describe('a cleared range', () => {
  it('under a pedal that was down has no pedal, and the bend at rest; after it they are as without the pass', () => {
    const under = layer('old', 0, 16, [
      pedal(3.5, true),
      pedal(4.5, false),
      bend(3, 12_000),
      pedal(7, true),
      pedal(9, false),
    ]);
    const line = readTake([under, replacing('new', 4, 8, [on(5), off(5.5)])], HEARD);
    expect([4, 5, 6, 7.5].map((n) => pedalAt(line, n))).toEqual([0, 0, 0, 0]);
    expect(ends(line)).toEqual([5.5]);
    expect(valuesBefore(line.controls, 5 * 960).get('bend')?.value).toBe(8192);
    expect(pedalAt(line, 8)).toBe(127);
    expect(valuesBefore(line.controls, 8 * 960 + 1).get('bend')?.value).toBe(12_000);
  });

  it('has what the new layer holds, also where it was set before the range', () => {
    const under = layer('old', 0, 16, [pedal(1, true), pedal(15, false)]);
    const phrase = layer('new', 0, 12, [pedal(2, true), on(4), off(6), pedal(8, false)], { clears: [range(4, 6)] });
    const line = readTake([under, phrase], HEARD);
    expect([4, 5].map((n) => pedalAt(line, n))).toEqual([127, 127]);
    const dry = layer('dry', 0, 12, [on(4), off(6)], { clears: [range(4, 6)] });
    expect([3, 4, 5, 6, 14].map((n) => pedalAt(readTake([under, dry], HEARD), n))).toEqual([127, 0, 0, 127, 127]);
  });

  it('holds what the new layer says of every controller, whatever was beneath; outside, what was there', () => {
    const lanes = ['control 1', 'control 11', 'control 64', 'bend'];
    const rest: Record<string, number> = { 'control 11': 127, bend: 8192 };
    const say = (reading: Reading, tick: number) => {
      const held = valuesBefore(reading.controls, tick + 1e-6);
      return lanes.map((l) => held.get(l)?.value ?? rest[l] ?? 0);
    };
    fc.assert(
      fc.property(layerEvents(0, 20), layerEvents(0, 20), ranges(30_000), (old, events, cleared) => {
        const under: Layer = {
          header: header({ id: 'old' }),
          events: old,
          closing: { range: { from: 0, to: 40_000 }, clears: [] },
        };
        const over: Layer = { header: header({ id: 'new' }), events, closing: { range: cleared, clears: [cleared] } };
        const line = readTake([under, over], HEARD);
        const own = readLayer(over, HEARD);
        const before = readLayer(under, HEARD);
        for (const { at: tick } of [
          ...line.controls,
          ...own.controls,
          ...before.controls,
          { at: cleared.from },
          { at: cleared.to },
        ]) {
          const inside = tick >= cleared.from && tick < cleared.to;
          expect(say(line, tick)).toEqual(say(inside ? own : before, tick));
        }
        // A controller is not let go and taken up again on one tick.
        const generated = line.controls.filter(
          (c) => c.at === cleared.to && !before.controls.some((b) => b.at === cleared.to),
        );
        expect(
          new Set(
            generated.map((c) =>
              JSON.stringify([c.message.type, 'controller' in c.message ? c.message.controller : 0]),
            ),
          ).size,
        ).toBe(generated.length);
      }),
    );
  });
});

describe('several cleared ranges', () => {
  it('leave a controller after the last as it was, though what was merged over them moved it in between', () => {
    const old = layer('old', 0, 12, [bend(0, 12_000), on(1), off(11)]);
    const over = layer('new', 0, 8, [on(1), bend(1.5, 4000), off(2), on(7), off(8)], {
      clears: [range(1, 2), range(7, 8)],
    });
    const line = readTake([old, over], HEARD);
    const bends = line.controls.map((c) => [c.at / 960, c.message.value]);
    expect(bends.findLast(([at]) => at! <= 7.9)).toEqual([7, 4000]);
    expect(bends.at(-2)).toEqual([8, 12_000]);
  });
});

describe('a layer in several windows', () => {
  it('is not cut by its own clearing in the next of them', () => {
    const long = replacing('new', 0, 12, [on(2, 72), off(11, 72)]);
    const a = readTake(
      [layer('a', 0, 12, [on(9), off(10)]), { layer: long, windows: [range(0, 4), range(8, 12)] }],
      HEARD,
    );
    expect(a.notes.map((n) => [n.key, n.start / 960, n.end / 960])).toEqual([[72, 2, 11]]);
  });
});

describe('clearing', () => {
  it('nothing is the identity, and clearing twice is clearing once', () => {
    fc.assert(
      fc.property(layerEvents(0, 20), ranges(20_000), (events, cleared) => {
        const reading = readLayer(
          { header: header(), events, closing: { range: { from: 0, to: 40_000 }, clears: [] } },
          HEARD,
        );
        expect(clear(reading, [])).toEqual(reading);
        const once = clear(reading, [cleared]);
        const held = (r: Reading) =>
          [cleared.from, cleared.from + 1, cleared.to, cleared.to + 500].map((t) =>
            [...valuesBefore(r.controls, t + 1e-6)].map(([l, m]) => [l, m.value]).sort(),
          );
        expect(clear(once, [cleared]).notes).toEqual(once.notes);
        expect(held(clear(once, [cleared]))).toEqual(held(once));
      }),
    );
  });
});
