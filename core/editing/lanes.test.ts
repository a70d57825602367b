import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newSong } from '../document/document';
import { curve, cutOut, drawLane, pedalBars, pointsOfBars, setPedal, thinned, PEDAL, type Point } from './lanes';

const part = {
  ...newSong('x', 'p').parts[0]!,
  comp: [
    { from: 0, to: 1000, takeId: 'a' },
    { from: 1000, to: 2000, takeId: 'b' },
  ],
  lanes: [{ from: 500, to: 600, takeId: 'c', lane: 'control 64' }],
};

describe('the pedal as bars', () => {
  it('says how deep it went, and is closed where it is never let up', () => {
    expect(
      pedalBars(
        [
          [0, 70],
          [10, 127],
          [90, 0],
          [120, 80],
        ],
        200,
      ),
    ).toEqual([
      { from: 0, to: 90, depth: 127 },
      { from: 120, to: 200, depth: 80 },
    ]);
  });

  it('is one where bars touch', () => {
    expect(
      pointsOfBars([
        { from: 50, to: 90, depth: 127 },
        { from: 0, to: 50, depth: 127 },
      ]),
    ).toEqual([
      [0, 127],
      [90, 0],
    ]);
  });

  it('is drawn in the take that is heard, a bar at a time', () => {
    const points: Point[] = [
      [100, 127],
      [300, 0],
    ];
    expect(
      setPedal(part, points, 2000, { from: 100, to: 300, depth: 127 }, { from: 150, to: 300, depth: 127 }),
    ).toEqual([
      {
        take: 'a',
        edits: [
          {
            op: 'draw',
            lane: PEDAL,
            from: 100,
            to: 301,
            points: [
              [150, 127],
              [300, 0],
            ],
          },
        ],
      },
    ]);
    expect(setPedal(part, points, 2000, { from: 100, to: 300, depth: 127 }, null)[0]!.edits[0]).toMatchObject({
      points: [],
    });
  });
});

describe('a controller that is drawn', () => {
  it('goes to every take that is heard there, and holds on over the borders', () => {
    const edits = drawLane(part, 'control 64', { from: 400, to: 1200 }, [
      [450, 100],
      [1100, 0],
    ]);
    expect(edits.map(({ take, edits: [edit] }) => [take, edit])).toEqual([
      ['a', { op: 'draw', lane: 'control 64', from: 400, to: 500, points: [[450, 100]] }],
      ['c', { op: 'draw', lane: 'control 64', from: 500, to: 600, points: [[500, 100]] }],
      ['a', { op: 'draw', lane: 'control 64', from: 600, to: 1000, points: [[600, 100]] }],
      [
        'b',
        {
          op: 'draw',
          lane: 'control 64',
          from: 1000,
          to: 1200,
          points: [
            [1000, 100],
            [1100, 0],
          ],
        },
      ],
    ]);
  });

  it('is thinned to within a step of what was drawn', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 1, max: 50 }), fc.integer({ min: 0, max: 127 })), { minLength: 3 }),
        (steps) => {
          let at = 0;
          const points = steps.map(([by, value]): Point => [(at += by), value]);
          const thin = thinned(points, 'control 1');
          for (const [place, value] of points) {
            const held = thin.findLast(([t]) => t <= place)![1];
            expect(Math.abs(held - value)).toBeLessThanOrEqual(1);
          }
          expect(thin.at(-1)![1]).toBe(points.at(-1)![1]);
        },
      ),
    );
    expect(thinned(curve([0, 0], [3840, 127], 'line'), 'control 1').length).toBeLessThan(70);
  });

  it('is copied with what it holds at the start', () => {
    const events = [
      { at: 10, message: { type: 'control' as const, controller: 1, value: 50 } },
      { at: 120, message: { type: 'control' as const, controller: 1, value: 60 } },
    ];
    expect(cutOut(events, 'control 1', { from: 100, to: 200 })).toEqual([
      [0, 50],
      [20, 60],
    ]);
  });
});
