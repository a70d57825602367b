import { describe, expect, it } from 'vitest';
import { newSong } from '~~/core/document/document';
import { mapsOf, sectionsOf } from '~~/core/document/maps';
import { keyRangeOf } from './chartDrawing';
import { barAtPoint, edgeAtPoint, layoutChart, nameAtPoint, placeOf, rowsInSight, tickAtPoint } from './chartLayout';

const song = {
  ...newSong('x', 'p'),
  bars: 22,
  sections: [
    { id: 'a', name: 'Intro', bars: 4, pattern: null },
    { id: 'b', name: 'Verse', bars: 12, pattern: null },
  ],
};
const { meter } = mapsOf(song);
const layout = layoutChart(sectionsOf(song, meter), meter, 960, 500);

describe('the chart', () => {
  it('has as many bars a row as a phrase, and four where there is little room', () => {
    const perRow = (lengths: number[], width: number) => {
      const formed = {
        ...newSong('x', 'p'),
        bars: lengths.reduce((a, b) => a + b),
        sections: lengths.map((bars, n) => ({ id: `${n}`, name: 'S', bars, pattern: null })),
      };
      const { meter } = mapsOf(formed);
      const { rows } = layoutChart(sectionsOf(formed, meter), meter, width, 600);
      return Math.max(...rows.map((r) => r.lastBar - r.firstBar + 1));
    };
    expect(perRow([8, 16, 4], 900)).toBe(8);
    expect(perRow([12, 12], 900)).toBe(4);
    expect(perRow([4, 4], 900)).toBe(4);
    expect(perRow([7, 9], 900)).toBe(8);
    expect(perRow([8, 16], 500)).toBe(4);
  });

  it('begins a row with each section and wraps after eight bars', () => {
    expect(layout.rows.map((r) => [r.name, r.firstBar, r.lastBar])).toEqual([
      ['Intro', 1, 4],
      ['Verse', 5, 12],
      ['', 13, 16],
      ['', 17, 22],
    ]);
    expect(layout.rows.every((r) => r.y + r.height <= 500)).toBe(true);
  });

  it('has four bars to a row where there is little room, and scrolls when there are many', () => {
    expect(layoutChart(sectionsOf(song, meter), meter, 400, 500).rows[1]).toMatchObject({ firstBar: 5, lastBar: 8 });
    const long = { ...newSong('x', 'p'), bars: 200 };
    expect(layoutChart(sectionsOf(long, meter), meter, 960, 500).height).toBeGreaterThan(1000);
  });

  it('shows the rows in sight', () => {
    const long = { ...newSong('x', 'p'), bars: 200 };
    const all = layoutChart(sectionsOf(long, meter), meter, 960, 500);
    expect(rowsInSight(all, 0, 500).rows.length).toBeLessThan(all.rows.length / 2);
    expect(rowsInSight(all, all.height - 500, 500).rows.at(-1)).toBe(all.rows.at(-1));
  });

  it('finds the place of a tick and the bar at a place', () => {
    const place = placeOf(layout, 4 * 3840 + 1920)!;
    expect([place.row.firstBar, place.x]).toEqual([5, layout.left + layout.cell / 2]);
    expect(barAtPoint(layout, place.x, place.row.y + 5)).toBe(5);
    expect(barAtPoint(layout, 5, place.row.y + 5)).toBeUndefined();
    expect(barAtPoint(layout, 9999, place.row.y + 5, true)).toBe(12);
    expect(placeOf(layout, 99 * 3840)!.row.firstBar).toBe(17);
  });

  it('gives a part’s notes room for at least an octave and a half', () => {
    const note = (key: number) => ({ id: '', key, velocity: 1, release: 0, start: 0, end: 1 });
    expect(keyRangeOf([note(60), note(62)])).toEqual({ low: 52, high: 70 });
    expect(keyRangeOf([note(30), note(90)])).toEqual({ low: 30, high: 90 });
    expect(keyRangeOf([])).toEqual({ low: 48, high: 72 });
  });

  it('knows the place, the edge and the name at a point', () => {
    const second = layout.rows[1]!;
    const middle = second.y + second.height / 2;
    const bar5 = layout.left;
    expect(tickAtPoint(layout, bar5 + layout.cell / 4, middle)).toBeCloseTo(4 * 3840 + 960, 6);
    expect(tickAtPoint(layout, 2, middle)).toBeUndefined();
    expect(tickAtPoint(layout, 2, middle, true)).toBeCloseTo(4 * 3840, 6);
    const range = { from: 5 * 3840, to: 7 * 3840 };
    expect(edgeAtPoint(layout, range, bar5 + layout.cell + 3, middle, 6)).toBe('from');
    expect(edgeAtPoint(layout, range, bar5 + 3 * layout.cell - 3, middle, 6)).toBe('to');
    expect(edgeAtPoint(layout, range, bar5 + 2 * layout.cell, middle, 6)).toBeUndefined();
    // A finger means an edge from further away.
    expect(edgeAtPoint(layout, range, bar5 + layout.cell + 15, middle, 18)).toBe('from');
    expect(nameAtPoint(layout, 30, middle)?.name).toBe('Verse');
    expect(nameAtPoint(layout, bar5 + 3, middle)).toBeUndefined();
  });
});
