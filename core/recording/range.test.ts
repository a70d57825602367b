import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { edgeHere, rangeBetween, SHORTEST_RANGE, snapped, withEdge, withLeadInTurned, withRange } from './range';
import { real } from '../testing/realNumbers';

const song = {
  ...newSong('x', 'p'),
  meter: [
    { bar: 1, beats: 3, unit: 4 },
    { bar: 9, beats: 7, unit: 8 },
  ],
};
const maps = mapsOf(song);
const { brief } = song;
const BAR = 2880;

describe('a place that is set', () => {
  it('goes to the nearest bar line or beat, or stays', () => {
    expect(snapped(maps, 'bar', BAR + 1300)).toBe(BAR);
    expect(snapped(maps, 'bar', BAR + 1500)).toBe(2 * BAR);
    expect(snapped(maps, 'beat', BAR + 1000)).toBe(BAR + 960);
    expect(snapped(maps, 'free', BAR + 1000.4)).toBe(BAR + 1000);
  });

  it('lies in the song, on a whole tick', () => {
    fc.assert(
      fc.property(fc.constantFrom('bar', 'beat', 'free'), real(-1e6, 1e6), (snap, at) => {
        const place = snapped(maps, snap, at);
        expect(Number.isInteger(place)).toBe(true);
        expect(place).toBeGreaterThanOrEqual(0);
        expect(place).toBeLessThanOrEqual(maps.end);
      }),
    );
  });

  it('by the playhead is the bar’s start for an in, its end for an out', () => {
    expect(edgeHere(maps, 'bar', 'from', BAR + 100)).toBe(BAR);
    expect(edgeHere(maps, 'bar', 'to', BAR + 100)).toBe(2 * BAR);
    expect(edgeHere(maps, 'beat', 'to', BAR + 1000)).toBe(BAR + 960);
    expect(edgeHere(maps, 'bar', 'from', -50)).toBe(0);
  });
});

describe('a range', () => {
  it('that is dragged covers whole bars, in either direction', () => {
    const range = { from: BAR, to: 3 * BAR };
    expect(rangeBetween(maps, 'bar', BAR + 10, 2 * BAR + 10)).toEqual(range);
    expect(rangeBetween(maps, 'bar', 2 * BAR + 10, BAR + 10)).toEqual(range);
  });

  it('is a sixteenth at least, and both ends are on', () => {
    expect(withRange({ from: 100, to: 90 })).toEqual({
      range: { from: 90, to: 90 + SHORTEST_RANGE },
      punchIn: true,
      punchOut: true,
    });
  });
});

describe('one end that is moved', () => {
  const set = { ...brief, range: { from: BAR, to: 2 * BAR } };

  it('pushes the other ahead of it', () => {
    expect(withEdge(set, maps, 'from', 3 * BAR)).toEqual({ range: { from: 3 * BAR, to: 4 * BAR }, punchIn: true });
    expect(withEdge(set, maps, 'to', BAR)).toEqual({ range: { from: 0, to: BAR }, punchOut: true });
  });

  it('leaves an end off that was never set', () => {
    expect(withEdge(brief, maps, 'from', BAR)).toMatchObject({ punchIn: true, punchOut: false });
    expect(withEdge(brief, maps, 'to', BAR)).toMatchObject({ punchIn: false, punchOut: true });
  });

  it('is refused where both would lie on one place', () => {
    expect(withEdge(brief, maps, 'to', 0)).toBeNull();
    expect(withEdge(brief, maps, 'from', maps.end)).toBeNull();
  });
});

describe('the lead-in', () => {
  it('is turned on with a bar where it had no length, and keeps the length it had', () => {
    const none = { ...brief, leadIn: { count: 0, unit: 'bars' }, leadInOn: true } as const;
    expect(withLeadInTurned(none)).toEqual({ leadIn: { count: 1, unit: 'bars' }, leadInOn: true });
    const two = { ...brief, leadIn: { count: 2, unit: 'beats' }, leadInOn: true } as const;
    expect(withLeadInTurned(two)).toEqual({ leadInOn: false });
  });
});
