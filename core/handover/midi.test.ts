import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { notes as someNotes } from '../testing/arbitraries';
import { eventsFromReading, notesFromEvents, soundingEnds, type Note } from '../performance/notes';

const pedal = (at: number, value: number) => ({ at, message: { type: 'control' as const, controller: 64, value } });

const note = (start: number, end: number, key = 60, id = `n${start}`): Note => ({
  id,
  key,
  velocity: 80,
  release: 64,
  start,
  end,
});

describe('notes on their way into a file', () => {
  it('are caught by a pedal that goes down on the tick of their release, not by one pressed anew there', () => {
    const caught = eventsFromReading({ notes: [note(0, 960)], controls: [pedal(960, 127), pedal(2000, 0)] }, true);
    expect(caught.map((e) => e.message.type)).toEqual(['noteOn', 'control', 'noteOff', 'control']);
    const anew = eventsFromReading(
      { notes: [note(0, 960)], controls: [pedal(10, 127), pedal(960, 0), pedal(960, 127), pedal(2000, 0)] },
      true,
    );
    expect(anew.map((e) => e.message.type)).toEqual(['noteOn', 'control', 'noteOff', 'control', 'control', 'control']);
    expect(soundingEnds({ notes: [note(0, 960)], controls: [pedal(960, 127), pedal(2000, 0)] }).get('n0')).toBe(2000);
  });

  it('do not swap their lengths where one lies inside another, nor end each other where they meet below a tick', () => {
    const read = (all: Note[]) =>
      notesFromEvents(eventsFromReading({ notes: all, controls: [] }, true), Infinity, 'x').map((n) => [
        n.start,
        n.end,
      ]);
    expect(read([note(0, 100), note(20, 40)])).toEqual([
      [0, 20],
      [20, 100],
    ]);
    expect(read([note(0, 99.6), note(99.7, 200)])).toEqual([
      [0, 100],
      [100, 200],
    ]);
    expect(read([note(0, 50), note(20, 100)])).toEqual([
      [0, 50],
      [20, 100],
    ]);
  });

  it('are, of one key, each as long in the file as in the line, unless one lies inside another', () => {
    fc.assert(
      fc.property(someNotes, (all) => {
        const events = eventsFromReading({ notes: all, controls: [] }, true);
        const read = notesFromEvents(events, Infinity, 'x');
        expect(read).toHaveLength(all.length);
        read.forEach((n) => expect(n.end).toBeGreaterThan(n.start));
        const alone = all.filter(
          (n) => !all.some((m) => m !== n && m.key === n.key && m.start <= n.end && m.end >= n.start),
        );
        for (const n of alone)
          expect(read).toContainEqual(expect.objectContaining({ key: n.key, start: n.start, end: n.end }));
      }),
    );
  });
});
