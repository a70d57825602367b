import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { messages } from '../testing/arbitraries';
import { eventsFromReading, notesFromEvents, soundingEnds, type PlacedEvent } from './notes';

const on = (at: number, key = 60, velocity = 80): PlacedEvent => ({ at, message: { type: 'noteOn', key, velocity } });

const off = (at: number, key = 60, velocity = 64): PlacedEvent => ({ at, message: { type: 'noteOff', key, velocity } });

const pedal = (at: number, value: number) => ({ at, message: { type: 'control', controller: 64, value } as const });

const lengths = (events: PlacedEvent[], end = 9999) =>
  notesFromEvents(events, end, 'x').map((n) => [n.key, n.start, n.end]);

describe('notes from events', () => {
  it('pairs each note with its release', () => {
    expect(lengths([on(0), on(10, 64), off(20), off(30, 64)])).toEqual([
      [60, 0, 20],
      [64, 10, 30],
    ]);
  });

  it('releases the first struck of two that overlap on a key', () => {
    expect(lengths([on(0), on(10), off(20), off(40)])).toEqual([
      [60, 0, 20],
      [60, 10, 40],
    ]);
  });

  it('closes what is never released', () => {
    expect(lengths([on(0), on(50, 64)], 40)).toEqual([
      [60, 0, 40],
      [64, 50, 50],
    ]);
  });

  it('passes over a release of nothing', () => {
    expect(lengths([off(0), on(5), off(10), off(12)])).toEqual([[60, 5, 10]]);
  });

  it('lets each note-on become one note, and none start after it ends', () => {
    const streams = fc
      .array(fc.record({ at: fc.integer({ min: 0, max: 5000 }), message: messages }))
      .map((events) => events.sort((a, b) => a.at - b.at));
    fc.assert(
      fc.property(streams, (events) => {
        const notes = notesFromEvents(events, 6000, 'x');
        expect(notes).toHaveLength(events.filter((e) => e.message.type === 'noteOn').length);
        expect(notes.every((n) => n.end >= n.start)).toBe(true);
        expect(new Set(notes.map((n) => n.id)).size).toBe(notes.length);
      }),
    );
  });

  it('comes back from its own events', () => {
    const notes = notesFromEvents([on(0), off(20), on(20), off(40), on(20, 64), off(90, 64)], 100, 'x');
    const again = notesFromEvents(eventsFromReading({ notes, controls: [pedal(20, 127)] }), 100, 'x');
    expect(again.map((n) => [n.key, n.start, n.end])).toEqual(notes.map((n) => [n.key, n.start, n.end]));
  });
});

describe('the sustain pedal', () => {
  const held = (notes: PlacedEvent[], controls: ReturnType<typeof pedal>[]) => {
    const reading = { notes: notesFromEvents(notes, 1000, 'x'), controls };
    return [...soundingEnds(reading).entries()].sort().map(([, end]) => end);
  };

  it('lets a note ring until it is lifted', () => {
    expect(held([on(0), off(10)], [pedal(5, 127), pedal(50, 0)])).toEqual([50]);
  });

  it('lets a note ring no longer than the next on its key', () => {
    expect(held([on(0), off(10), on(30), off(35)], [pedal(5, 127), pedal(50, 0)])).toEqual([30, 50]);
  });

  it('does nothing when it is up at the release, or never lifted', () => {
    expect(held([on(0), off(10)], [pedal(12, 127), pedal(50, 0)])).toEqual([10]);
    expect(held([on(0), off(10)], [pedal(5, 127)])).toEqual([10]);
  });
});
