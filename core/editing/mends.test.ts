import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import { newSong } from '../document/document';
import type { Shown } from './editedView';
import type { ControlEvent } from '../performance/controls';
import { packPlaces } from '../takes/edits';
import { mendsIn, takeMends } from './mends';

const maps = mapsOf(newSong('x', 'p'));
const note = (n: number, start: number, end: number, key: number, velocity = 80) => ({
  ...{ id: `l:${n}`, key, velocity, release: 64, start, end, played: { start, end, key, velocity, release: 64 } },
});
const shown = (notes: ReturnType<typeof note>[], controls: ControlEvent[] = []): Shown => ({
  line: { notes: [...notes].sort((a, b) => a.start - b.start || a.key - b.key), controls },
  silent: [],
  removed: [],
  takeOf: () => 't',
  before: (id) => notes.find((n) => n.id === id),
  isTreated: () => false,
  heardAt: () => 't',
});
const found = (view: Shown) => mendsIn(view, { from: 0, to: 1e6 }, maps).map((m) => m.kind);
const chord = (first: number, at: number, keys: number[], end = at + 900) =>
  keys.map((key, i) => note(first + i, at, end, key));
const C = [48, 60, 64, 67];
const F = [53, 60, 65, 69];

describe('what may want mending', () => {
  it('is nothing in what is played well', () => {
    expect(
      found(shown([...chord(0, 0, C), ...chord(4, 960, F), note(9, 1920, 2100, 72, 50), note(10, 2160, 2400, 74)])),
    ).toEqual([]);
  });

  it('is a key that is played twice within a few milliseconds: the softer goes', () => {
    const view = shown([note(0, 0, 40, 60, 40), note(1, 30, 900, 60, 80)]);
    expect(found(view)).toEqual(['doubled']);
    expect(takeMends(mendsIn(view, { from: 0, to: 1e6 }, maps), newSong('x', 'p').parts[0]!, view)).toEqual([
      { take: 't', edits: [{ op: 'remove', notes: { l: '0' } }] },
    ]);
  });

  it('is held to the end of both where the second of two notes goes', () => {
    const view = shown([note(0, 0, 30, 60, 80), note(1, 30, 900, 60, 40)]);
    expect(found(view)).toEqual(['doubled']);
    const taken = takeMends(mendsIn(view, { from: 0, to: 1e6 }, maps), newSong('x', 'p').parts[0]!, view);
    expect(taken).toEqual([
      { take: 't', edits: [{ op: 'remove', notes: { l: '1' } }] },
      { take: 't', edits: [{ op: 'pin', notes: { l: '0' }, end: 'end', places: packPlaces([900]) }] },
    ]);
  });

  it('is a neighbour that was brushed, and a note too short to have been meant', () => {
    expect(found(shown([note(0, 0, 900, 60, 90), note(1, 10, 90, 61, 25)]))).toEqual(['brushed']);
    expect(found(shown([note(0, 0, 900, 60, 90), note(1, 1500, 1520, 67, 70)]))).toEqual(['short']);
  });

  it('is no grace note: soft and short, but ahead of its note and not beside its touch', () => {
    expect(found(shown([note(0, 0, 110, 61, 70), note(1, 120, 900, 62, 84)]))).toEqual([]);
  });

  it('is a brushed key also where it is struck at 44, and none in trills, flams and runs of graces', () => {
    expect(found(shown([note(0, 0, 900, 60, 96), note(1, 8, 90, 61, 44)]))).toEqual(['brushed']);
    const trill = Array.from({ length: 14 }, (_, i) => note(i, 960 + i * 62, 960 + i * 62 + 30, i % 2 ? 74 : 72, 60));
    expect(found(shown(trill))).toEqual([]);
    const flams = Array.from({ length: 6 }, (_, i) => [
      note(2 * i, i * 960 - 30 + 960, i * 960 - 4 + 960, 61, 30),
      note(2 * i + 1, i * 960 + 960, i * 960 + 1700, 62, 90),
    ]).flat();
    expect(found(shown(flams))).toEqual([]);
  });

  it('is a pedal over a change to a harmony that has nothing in common, with no semitone between', () => {
    const pedal = (at: number, value: number): ControlEvent => ({
      at,
      message: { type: 'control', controller: 64, value },
    });
    const [low, high] = [
      [48, 60, 62],
      [54, 66, 68, 70],
    ];
    const view = shown([...chord(0, 0, low!), ...chord(4, 1920, high!, 3800)], [pedal(100, 127), pedal(3700, 0)]);
    expect(found(view)).toEqual(['blurred']);
  });

  it('is a note that hangs over a chord change, and not one that is let go a little late', () => {
    const hanging = [...chord(0, 0, [48, 60, 64]), note(3, 0, 1700, 67), ...chord(4, 960, F)];
    expect(found(shown(hanging))).toEqual(['hanging']);
    expect(found(shown([...chord(0, 0, [48, 60, 64]), note(3, 0, 1020, 67), ...chord(4, 960, F)]))).toEqual([]);
  });

  it('is a pedal that stays down over a chord change: it comes up there and goes down again', () => {
    const pedal = (at: number, value: number): ControlEvent => ({
      at,
      message: { type: 'control', controller: 64, value },
    });
    const view = shown([...chord(0, 0, C), ...chord(4, 1920, F, 3800)], [pedal(100, 127), pedal(3700, 0)]);
    expect(found(view)).toEqual(['blurred']);
    const part = { ...newSong('x', 'p').parts[0]!, comp: [{ from: 0, to: 10_000, takeId: 't' }] };
    expect(takeMends(mendsIn(view, { from: 0, to: 1e6 }, maps), part, view)).toEqual([
      {
        take: 't',
        edits: [
          {
            op: 'draw',
            lane: 'control 64',
            from: 1920,
            to: 2071,
            points: [
              [1920, 0],
              [2070, 127],
            ],
          },
        ],
      },
    ]);
    expect(found(shown([...chord(0, 0, C), ...chord(4, 1920, F, 3800)], [pedal(100, 127), pedal(2050, 0)]))).toEqual(
      [],
    );
  });
});
