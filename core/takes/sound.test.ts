import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { HEARD, layer, off, on, range, replacing } from '../testing/layers';
import { ranges } from '../testing/arbitraries';
import { secondsAt, tempoMap } from '../time/tempo';
import { tempoWarpBetween } from '../time/tempoWarp';
import type { TickRange } from '../time/units';
import type { Layer, LayerSound } from './layer';
import { soundOfTake, type Recording, type SoundPiece } from './sound';

const at120 = tempoMap([{ tick: 0, bpm: 120 }]);
/** A recording of a minute that began a second before bar 1. */
const recording = (id: string, over: Partial<Recording> = {}): Recording => ({
  ...{
    id,
    zero: -11,
    rate: 48_000,
    channels: 2,
    first: 480_000,
    frames: 2_880_000,
    audio: 'a'.repeat(64),
    from: 'Line',
  },
  ...over,
});
const all = new Map(['old', 'new'].map((id) => [id, recording(id)]));
/** The layer, with sound beside its keys. */
const sounding = (of: Layer, over: Partial<LayerSound> = {}): Layer => ({
  ...of,
  header: { ...of.header, sound: { recording: of.header.id, input: 0, frame: 0, ...over } },
});
const read = (layers: readonly Layer[], placement: Parameters<typeof soundOfTake>[1] = HEARD, sources = all) =>
  soundOfTake(
    layers.map((l) => ({ layer: l })),
    placement,
    sources,
    at120,
  );
/** In beats, and seconds of the recording. */
const said = (pieces: readonly SoundPiece[]) =>
  pieces.map((p) => [p.recording, p.from / 960, p.to / 960, Math.round(p.into * 1e6) / 1e6]);

describe('the sound of a layer', () => {
  it('sounds in its range, each moment of it where it was recorded', () => {
    expect(said(read([sounding(layer('old', 4, 12, [on(5), off(6)]))]))).toEqual([['old', 4, 12, 3]]);
  });

  it('is placed by its own input latency, and by the output too where it is placed as it was played', () => {
    const late = sounding(layer('old', 4, 12, [], {}, { latency: { output: 0.02, input: 0.5 } }), { input: 0.01 });
    expect(said(read([late]))).toEqual([['old', 4, 12, 3.01]]);
    expect(said(read([late], { policy: 'played', nudge: 0 }))).toEqual([['old', 4, 12, 3.03]]);
    expect(said(read([late], { policy: 'heard', nudge: 5 }))).toEqual([['old', 4, 12, 3.005]]);
  });

  it('of a later lap lies where the loop is', () => {
    expect(said(read([sounding(layer('old', 4, 12, []), { frame: 8 })]))).toEqual([['old', 4, 12, 11]]);
  });

  it('begins with a note that was early for the range, and no earlier', () => {
    const early = layer('old', 4, 12, [on(3, 50), off(3.1, 50), on(3.9), off(5)], {}, { early: 240 });
    expect(said(read([sounding(early)]))).toEqual([['old', 3.9, 12, 2.95]]);
  });

  it('begins and ends with its recording', () => {
    const short = new Map([['old', recording('old', { first: 672_000, frames: 48_000 })]]);
    expect(said(read([sounding(layer('old', 4, 12, []))], HEARD, short))).toEqual([['old', 6, 8, 0]]);
    expect(read([sounding(layer('old', 16, 20, []))], HEARD, short)).toEqual([]);
    expect(read([sounding(layer('old', 0, 4, []))], HEARD, short)).toEqual([]);
    expect(read([sounding(layer('old', 0, 4, []))], HEARD, new Map())).toEqual([]);
  });

  it('runs on at its own speed when the tempo has become another', () => {
    const slower = tempoMap([{ tick: 0, bpm: 60 }]);
    const own = sounding(layer('old', 4, 12, []));
    // The bars have stayed: four seconds of sound are four beats of the eight now.
    const short = new Map([['old', recording('old', { frames: 7 * 48_000 })]]);
    expect(said(soundOfTake([{ layer: own }], HEARD, short, slower))).toEqual([['old', 4, 8, 3]]);
    // The moments have stayed: beat 4 is beat 2.
    const warp = tempoWarpBetween(at120, slower, 0);
    expect(said(soundOfTake([{ layer: own, warp }], HEARD, all, slower))).toEqual([['old', 2, 6, 3]]);
  });
});

describe('the sound of a take', () => {
  it('goes where a layer clears it, and sounds beside a layer that clears nothing', () => {
    const old = sounding(layer('old', 0, 16, []));
    expect(said(read([old, sounding(replacing('new', 4, 8, []))]))).toEqual([
      ['old', 0, 4, 1],
      ['old', 8, 16, 5],
      ['new', 4, 8, 3],
    ]);
    expect(said(read([old, sounding(layer('new', 4, 8, []))]))).toEqual([
      ['old', 0, 16, 1],
      ['new', 4, 8, 3],
    ]);
  });

  it('gives way from an early note on', () => {
    const old = sounding(layer('old', 0, 16, []));
    const over = replacing('new', 4, 8, [on(3.9), off(5)]);
    const early = sounding({ ...over, header: { ...over.header, early: 240 } });
    expect(said(read([old, early]))[0]).toEqual(['old', 0, 3.9, 1]);
  });

  it('stays under a layer that rides one controller', () => {
    const old = sounding(layer('old', 0, 16, []));
    const ride = layer('new', 4, 8, [], { clears: [{ ...range(4, 8), lane: 'control 64' }] });
    expect(said(read([old, ride]))).toEqual([['old', 0, 16, 1]]);
  });

  it('is each moment where it was recorded, whatever is cleared, and nothing sounds where it was', () => {
    const several = fc.array(ranges(30_000), { maxLength: 4 });
    fc.assert(
      fc.property(ranges(30_000), ranges(30_000), several, several, (under, over, clears, windows) => {
        const make = (id: string, of: TickRange, gone: readonly TickRange[]): Layer => {
          const made = layer(id, 0, 1, []);
          return sounding({ ...made, closing: { ...made.closing, range: of, clears: gone } });
        };
        const pieces = soundOfTake(
          [
            { layer: make('old', under, []) },
            { layer: make('new', over, clears), ...(windows.length ? { windows } : {}) },
          ],
          HEARD,
          all,
          at120,
        );
        for (const p of pieces) {
          expect(p.into - secondsAt(at120, p.from)).toBeCloseTo(1, 9);
          expect(p.to).toBeGreaterThan(p.from);
        }
        const lies = (p: TickRange, tick: number) => tick >= p.from && tick < p.to;
        for (let tick = 0.5; tick < 30_000; tick += 333) {
          const inWindow = windows.length === 0 || windows.some((w) => lies(w, tick));
          const gone = inWindow && clears.some((c) => lies(c, tick));
          const there = (id: string) => pieces.some((p) => p.recording === id && lies(p, tick));
          expect(there('old')).toBe(lies(under, tick) && !gone);
          expect(there('new')).toBe(lies(over, tick) && inWindow);
        }
      }),
    );
  });
});
