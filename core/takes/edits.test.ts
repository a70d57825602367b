import { describe, expect, it } from 'vitest';
import type { Reading } from '../performance/notes';
import { packPlaces, splitEdit, withEdits, type Edit } from './edits';

const note = (n: number, start: number, end: number, key = 60) => ({
  ...{ id: `l:${n}`, key, velocity: 80, release: 64, start, end },
});
const pedal = (at: number, value: number) => ({
  at,
  message: { type: 'control' as const, controller: 64, value },
});
const reading: Reading = {
  notes: [note(0, 0, 480), note(1, 960, 1440, 62), note(2, 1920, 2400)],
  controls: [pedal(100, 127), pedal(900, 0), pedal(2000, 90), pedal(2600, 0)],
};
const made = (...edits: Edit[]) => withEdits(reading, edits).reading;
const all = { l: '0-2' };

describe('notes changed by hand', () => {
  it('are moved, keep their length and stand there', () => {
    const [first] = made({ op: 'move', notes: { l: '0' }, by: 120, keys: 2 }).notes;
    expect(first).toMatchObject({
      start: 120,
      end: 600,
      key: 62,
      fixed: 'both',
      played: { start: 0, end: 480, key: 60 },
    });
  });

  it('are put to whole ticks, each to its own', () => {
    const { notes } = made({ op: 'pin', notes: all, end: 'start', places: packPlaces([10, 970.4, 1900]) });
    expect(notes.map((n) => [n.start, n.end])).toEqual([
      [10, 490],
      [970, 1450],
      [1900, 2380],
    ]);
  });

  it('get other lengths, none under ten ticks', () => {
    expect(made({ op: 'length', notes: all, way: { to: 1 } }).notes.map((n) => n.end - n.start)).toEqual([10, 10, 10]);
    expect(made({ op: 'length', notes: { l: '1' }, way: { times: 2 } }).notes[1]!.end).toBe(1920);
    expect(made({ op: 'length', notes: { l: '1' }, way: { by: -100 } }).notes[1]).toMatchObject({
      end: 1340,
      fixed: 'end',
    });
  });

  it('get another touch, between 1 and 127, alone or along a line', () => {
    const touch = (way: Extract<Edit, { op: 'touch' }>['way']) =>
      made({ op: 'touch', notes: all, way }).notes.map((n) => n.velocity);
    expect(touch({ by: 100 })).toEqual([127, 127, 127]);
    expect(touch({ times: 0 })).toEqual([1, 1, 1]);
    expect(touch({ from: 0, first: 40, until: 1920, last: 100 })).toEqual([40, 70, 100]);
    expect(touch({ level: 60, share: 0.5 })).toEqual([70, 70, 70]);
  });

  it('are silent and there, or gone and known', () => {
    const edited = withEdits(reading, [
      { op: 'silence', notes: { l: '0' }, on: true },
      { op: 'remove', notes: { l: '1' } },
    ]);
    expect(edited.reading.notes.map((n) => n.id)).toEqual(['l:2']);
    expect(edited.silent.map((n) => n.id)).toEqual(['l:0']);
    expect(edited.removed.map((n) => n.id)).toEqual(['l:1']);
  });

  it('are given back by kind of change', () => {
    const { notes } = made(
      { op: 'move', notes: { l: '0' }, by: 5, keys: 7 },
      { op: 'touch', notes: { l: '0' }, way: { to: 1 } },
      { op: 'give back', notes: { l: '0' }, kinds: ['pitch'] },
    );
    expect(notes[0]).toMatchObject({ start: 5, key: 60, velocity: 1 });
  });

  it('end where the same key is struck again, for as long as it is', () => {
    const long: Edit = { op: 'length', notes: { l: '0' }, way: { to: 3000 } };
    expect(made(long).notes[0]!.end).toBe(1920);
    expect(made(long, { op: 'remove', notes: { l: '2' } }).notes[0]!.end).toBe(3000);
  });

  it('that are not there are left alone, and those that were added have names of their own', () => {
    expect(made({ op: 'remove', notes: { gone: '4' } })).toEqual(reading);
    const { notes } = made({ op: 'add', id: 'h', notes: [[500, 600, 70, 90, 64]] });
    expect(notes[1]).toMatchObject({ id: 'h:0', made: true, fixed: 'both', start: 500 });
  });

  it('move with the take when the tempo under it changes and it stays with the recording', () => {
    const twice = { now: (t: number) => t * 2, then: (t: number) => t / 2 };
    const later: Reading = {
      notes: reading.notes.map((n) => ({ ...n, start: n.start * 2, end: n.end * 2 })),
      controls: [],
    };
    const edits: Edit[] = [
      { op: 'move', notes: { l: '0' }, by: 120, keys: 0 },
      { op: 'add', id: 'h', notes: [[500, 600, 70, 90, 64]] },
      { op: 'move', notes: { l: '1' }, by: 120, keys: 0 },
    ];
    const { notes } = withEdits(later, edits, (i) => (i < 2 ? twice : null)).reading;
    expect(notes.map((n) => [n.id, n.start, n.end])).toEqual([
      ['l:0', 240, 1200],
      ['h:0', 1000, 1200],
      ['l:1', 2040, 3000],
      ['l:2', 3840, 4800],
    ]);
  });
});

describe('controllers changed by hand', () => {
  const values = (edit: Edit) => made(edit).controls.map((c) => [c.at, c.message.value]);

  it('are drawn in a range, at rest before the first point, and after it as they would have been', () => {
    expect(
      values({
        op: 'draw',
        lane: 'control 64',
        from: 500,
        to: 2300,
        points: [
          [1000, 127],
          [1500, 0],
        ],
      }),
    ).toEqual([
      [100, 127],
      [500, 0],
      [1000, 127],
      [1500, 0],
      [2300, 90],
      [2600, 0],
    ]);
  });

  it('are cleared without touching notes', () => {
    const edit: Edit = { op: 'draw', lane: 'control 64', from: 0, to: 3000, points: [] };
    expect(made(edit)).toEqual({ notes: reading.notes, controls: [] });
  });

  it('are scaled from where they rest, and given back', () => {
    const half: Edit = { op: 'scale', lane: 'control 64', from: 1900, to: 3000, times: 0.5, by: 0 };
    expect(values(half)).toContainEqual([2000, 45]);
    expect(made(half, { op: 'give lane back', lane: null, from: 0, to: 4000 })).toEqual(reading);
  });
});

it('an edit is split where one of its layers moves out', () => {
  const edit: Edit = { op: 'pin', notes: { a: '0-1', b: '3' }, end: 'start', places: packPlaces([10, 20, 5]) };
  const { own, others } = splitEdit(edit, 'b');
  expect(own).toEqual({ op: 'pin', notes: { b: '3' }, end: 'start', places: packPlaces([5]) });
  expect(others).toEqual({ op: 'pin', notes: { a: '0-1' }, end: 'start', places: packPlaces([10, 20]) });
});
