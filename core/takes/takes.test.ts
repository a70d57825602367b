import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layers, notes, ranges, reading } from '../testing/arbitraries';
import { valuesBefore } from '../performance/controls';
import { inRange, type TickRange } from '../time/units';
import type { KeyMessage } from '../performance/messages';
import type { Reading } from '../performance/notes';
import { readLayer, type Layer, type LayerEvent } from './layer';
import { pick, readComp, type Pick } from './line';
import { clear, readTake } from './take';

const as = { policy: 'heard', nudge: 0 } as const;
/** At 120, a quarter is half a second. */
const event = (quarters: number, message: KeyMessage): LayerEvent => ({ at: quarters / 2, message });
const on = (q: number, key = 60) => event(q, { type: 'noteOn', key, velocity: 90 });
const off = (q: number, key = 60) => event(q, { type: 'noteOff', key, velocity: 64 });
const sustain = (q: number, value: number) => event(q, { type: 'control', controller: 64, value });
const layer = (
  events: LayerEvent[],
  from: number,
  to: number,
  over: Partial<Layer['header']> = {},
  clears: TickRange[] = [],
): Layer => ({ header: header(over), events, closing: { range: { from: from * 960, to: to * 960 }, clears } });
const starts = (r: Reading) => r.notes.map((n) => [n.key, n.start / 960, n.end / 960]);
/** What a controller holds at every place where it changes. */
const sustainAt = (r: Reading, tick: number) => valuesBefore(r.controls, tick + 1e-6).get('control 64')?.value ?? 0;

describe('a layer', () => {
  it('reads what was struck inside its range', () => {
    expect(starts(readLayer(layer([on(-1), off(-0.5), on(0), off(1), on(4), off(5)], 0, 4), as))).toEqual([[60, 0, 1]]);
  });

  it('takes in a strike just ahead of its start, and lets it sound from the start on', () => {
    const early = layer([on(-0.2), off(1)], 0, 4);
    expect(starts(readLayer(early, as))).toEqual([[60, 0, 1]]);
    expect(early.events[0]!.at).toBe(-0.1);
    expect(readLayer(layer([on(-0.3), off(1)], 0, 4), as).notes).toEqual([]);
  });

  it('closes what is held, and the pedal, at its end', () => {
    const r = readLayer(layer([sustain(1, 127), on(3)], 0, 4), as);
    expect(starts(r)).toEqual([[60, 3, 4]]);
    expect(r.controls.map((c) => [c.at / 960, c.message.value])).toEqual([
      [1, 127],
      [4, 0],
    ]);
  });

  it('knows a pedal that was down before its start', () => {
    expect(readLayer(layer([sustain(-1, 127), on(0), off(1)], 0, 4), as).controls[0]).toMatchObject({
      at: 0,
      message: { value: 127 },
    });
  });

  it('is placed by the policy of its part', () => {
    const late = layer([on(1), off(2)], 0, 8, { latency: { output: 0.05, input: 0.01 } });
    const ms = (start: number) => Math.round((start / 960 - 1) * 500);
    expect(ms(readLayer(late, as).notes[0]!.start)).toBe(-10);
    expect(ms(readLayer(late, { policy: 'played', nudge: 0 }).notes[0]!.start)).toBe(-60);
    expect(ms(readLayer(late, { policy: 'heard', nudge: 15 }).notes[0]!.start)).toBe(5);
  });

  it('keeps its place in the tempo it was recorded in', () => {
    const r = readLayer(layer([on(4), off(5)], 0, 8, { tempo: [{ tick: 0, bpm: 60 }] }), as);
    expect(r.notes[0]!.start).toBe(2 * 960);
  });

  it('reads as silence when it was stopped before it began', () => {
    expect(readLayer(layer([on(0), off(1)], 4, 4), as)).toEqual({ notes: [], controls: [] });
  });
});

describe('a take', () => {
  const below = layer([sustain(0, 127), on(0), off(2.5), on(3), off(4), on(5), off(6), sustain(6, 0)], 0, 8, {
    id: 'below',
  });

  it('merges: old and new sound together', () => {
    const above = layer([on(1, 72), off(2, 72)], 0, 8, { id: 'above' });
    expect(starts(readTake([below, above], as))).toEqual([
      [60, 0, 2.5],
      [72, 1, 2],
      [60, 3, 4],
      [60, 5, 6],
    ]);
  });

  it('replaces: what starts in the range goes, what rings into it is cut', () => {
    const above = layer([on(2, 72), off(3, 72)], 2, 4, { id: 'above' }, [{ from: 2 * 960, to: 4 * 960 }]);
    expect(starts(readTake([below, above], as))).toEqual([
      [60, 0, 2],
      [72, 2, 3],
      [60, 5, 6],
    ]);
  });

  it('gives controllers back after a replaced range as if there had been no pass', () => {
    const above = layer([on(2, 72), sustain(2.5, 127), off(3, 72)], 2, 4, { id: 'above' }, [
      { from: 2 * 960, to: 4 * 960 },
    ]);
    const r = readTake([below, above], as);
    expect([1.9, 2.6, 4, 5.9, 6].map((q) => sustainAt(r, q * 960))).toEqual([127, 127, 127, 127, 0]);
  });

  it('is silent in a range that was replaced with nothing', () => {
    fc.assert(
      fc.property(layers('below'), ranges(), (under, range) => {
        const empty: Layer = { header: header({ id: 'above' }), events: [], closing: { range, clears: [range] } };
        expect(readTake([under, empty], as).notes.filter((n) => inRange(n.start, range))).toEqual([]);
      }),
    );
  });

  it('changes nothing outside the range, whatever is laid on it', () => {
    fc.assert(
      fc.property(layers('below'), layers('above'), (under, over) => {
        const { range } = over.closing;
        const outside = (r: Reading) =>
          r.notes.filter((n) => (n.start < range.from && n.end <= range.from) || n.start >= range.to);
        const before = readTake([under], as);
        const after = readTake([under, over], as);
        const untouched = new Set(outside(before).map((n) => n.id));
        expect(outside(after).filter((n) => untouched.has(n.id))).toEqual(outside(before));
        // Every controller sounds before and after the range as it would have without the pass.
        for (const tick of [range.from - 1, range.to + 1, range.to + 3000]) {
          const values = (r: Reading) =>
            ['control 1', 'control 11', 'control 64', 'bend'].map(
              (lane, i) => valuesBefore(r.controls, tick).get(lane)?.value ?? [0, 127, 0, 8192][i],
            );
          expect(values(after)).toEqual(values(before));
        }
      }),
    );
  });

  it('ends every note inside its range, and leaves no pedal down', () => {
    fc.assert(
      fc.property(layers('one'), (one) => {
        const r = readTake([one], as);
        expect(r.notes.every((n) => n.end <= one.closing.range.to && n.end >= n.start)).toBe(true);
        expect(sustainAt(r, one.closing.range.to)).toBe(0);
      }),
    );
  });

  it('cleared of nothing is itself', () => {
    fc.assert(
      fc.property(notes, (all) => {
        expect(clear(reading(all), [{ from: 50, to: 50 }])).toEqual(reading(all));
      }),
    );
  });
});

describe('the comp', () => {
  const picks = fc.array(fc.record({ range: ranges(5000), takeId: fc.constantFrom('a', 'b', 'c') }), { maxLength: 12 });
  const at = (comp: readonly Pick[], tick: number) => comp.find((p) => inRange(tick, p))?.takeId;

  it('hears the last take picked for a place, and the earlier one elsewhere', () => {
    fc.assert(
      fc.property(picks, fc.integer({ min: 0, max: 10_000 }), (rows, tick) => {
        const comp = rows.reduce<Pick[]>((c, { range, takeId }) => pick(c, { ...range, takeId }), []);
        expect(at(comp, tick)).toBe(rows.findLast((r) => inRange(tick, r.range))?.takeId);
        comp.slice(1).forEach((p, i) => expect(p.from).toBeGreaterThanOrEqual(comp[i]!.to));
      }),
    );
  });

  const a = readLayer(layer([sustain(0, 127), on(0), off(6), on(7), off(8)], 0, 8, { id: 'a' }), as);
  const b = readLayer(layer([on(4, 72), off(5, 72)], 0, 8, { id: 'b' }), as);
  const takeOf = (id: string) => (id === 'a' ? a : b);

  it('cuts a note at the join and lifts the pedal for a take that has it up', () => {
    const line = readComp(
      [
        { from: 0, to: 4 * 960, takeId: 'a' },
        { from: 4 * 960, to: 8 * 960, takeId: 'b' },
      ],
      takeOf,
    );
    expect(starts(line)).toEqual([
      [60, 0, 4],
      [72, 4, 5],
    ]);
    expect([3.9, 4].map((q) => sustainAt(line, q * 960))).toEqual([127, 0]);
  });

  it('puts the pedal down where a picked stretch starts in the middle of it, and up where nothing follows', () => {
    const line = readComp([{ from: 6.5 * 960, to: 7.5 * 960, takeId: 'a' }], takeOf);
    expect([6.4, 6.5, 7.5].map((q) => sustainAt(line, q * 960))).toEqual([0, 127, 0]);
  });
});
