import { describe, expect, it } from 'vitest';
import { header } from '../testing/arbitraries';
import { type TickRange } from '../time/units';
import type { KeyMessage } from '../performance/messages';
import type { Reading } from '../performance/notes';
import { readLayer, type Layer, type LayerEvent } from './layer';

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

describe('a layer', () => {
  it('reads what was struck inside its range', () => {
    expect(starts(readLayer(layer([on(-1), off(-0.5), on(0), off(1), on(4), off(5)], 0, 4), as))).toEqual([[60, 0, 1]]);
  });

  it('takes in a note just ahead of its start, and lets it sound from the start on', () => {
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
