import { describe, expect, it } from 'vitest';
import { readLayer } from './layer';
import { HEARD, layerFrom as layer, on, off, sustain, starts } from '../testing/layers';

describe('a layer', () => {
  it('reads what was struck inside its range', () => {
    expect(starts(readLayer(layer([on(-1), off(-0.5), on(0), off(1), on(4), off(5)], 0, 4), HEARD))).toEqual([
      [60, 0, 1],
    ]);
  });

  it('takes in a note just ahead of its start, and lets it sound from the start on', () => {
    const early = layer([on(-0.2), off(1)], 0, 4);
    expect(starts(readLayer(early, HEARD))).toEqual([[60, 0, 1]]);
    expect(early.events[0]!.at).toBe(-0.1);
    expect(readLayer(layer([on(-0.3), off(1)], 0, 4), HEARD).notes).toEqual([]);
  });

  it('closes what is held, and the pedal, at its end', () => {
    const r = readLayer(layer([sustain(1, 127), on(3)], 0, 4), HEARD);
    expect(starts(r)).toEqual([[60, 3, 4]]);
    expect(r.controls.map((c) => [c.at / 960, c.message.value])).toEqual([
      [1, 127],
      [4, 0],
    ]);
  });

  it('knows a pedal that was down before its start', () => {
    expect(readLayer(layer([sustain(-1, 127), on(0), off(1)], 0, 4), HEARD).controls[0]).toMatchObject({
      at: 0,
      message: { value: 127 },
    });
  });

  it('is placed by the policy of its part', () => {
    const late = layer([on(1), off(2)], 0, 8, { latency: { output: 0.05, input: 0.01 } });
    const ms = (start: number) => Math.round((start / 960 - 1) * 500);
    expect(ms(readLayer(late, HEARD).notes[0]!.start)).toBe(-10);
    expect(ms(readLayer(late, { policy: 'played', nudge: 0 }).notes[0]!.start)).toBe(-60);
    expect(ms(readLayer(late, { policy: 'heard', nudge: 15 }).notes[0]!.start)).toBe(5);
  });

  it('keeps its place in the tempo it was recorded in', () => {
    const r = readLayer(layer([on(4), off(5)], 0, 8, { tempo: [{ tick: 0, bpm: 60 }] }), HEARD);
    expect(r.notes[0]!.start).toBe(2 * 960);
  });

  it('reads as silence when it was stopped before it began', () => {
    expect(readLayer(layer([on(0), off(1)], 4, 4), HEARD)).toEqual({ notes: [], controls: [] });
  });
});
