import { barAt, barStart, type MeterMap } from '~~/core/time/meter';
import type { PlacedSection } from '~~/core/song/song';
import type { Ticks } from '~~/core/time/units';

export interface ChartRow {
  readonly y: number;
  readonly height: number;
  readonly firstBar: number;
  /** Included. */
  readonly lastBar: number;
  /** The section's name and bars, on its first row only. */
  readonly name: string;
  readonly barsText: string;
}

export interface ChartLayout {
  readonly rows: readonly ChartRow[];
  readonly left: number;
  readonly cell: number;
  readonly height: number;
}

const LEFT = 92;
const RIGHT = 12;
const GAP = 12;
const TOP = 16;
const LOWEST = 46;
const HIGHEST = 62;

/**
 * Wraps a song like a written part: each section begins a row, and a row has eight bars, or four where there
 * is little room. Rows share the height there is, within reason; what does not fit is scrolled to.
 */
export function layoutChart(sections: readonly PlacedSection[], width: number, height: number): ChartLayout {
  const perRow = width >= 620 ? 8 : 4;
  const cut = sections.flatMap((s) => {
    const rows: { firstBar: number; lastBar: number; name: string; barsText: string }[] = [];
    for (let first = s.firstBar; first <= s.lastBar; first += perRow) {
      const named = first === s.firstBar;
      rows.push({
        firstBar: first, lastBar: Math.min(s.lastBar, first + perRow - 1),
        name: named ? s.name : '', barsText: named ? `${s.firstBar}–${s.lastBar}` : '',
      });
    }
    return rows;
  });
  const room = Math.floor((height - TOP) / Math.max(1, cut.length)) - GAP;
  const rowHeight = Math.max(LOWEST, Math.min(HIGHEST, room));
  return {
    rows: cut.map((row, i) => ({ ...row, y: TOP + i * (rowHeight + GAP), height: rowHeight })),
    left: LEFT,
    cell: Math.floor((width - LEFT - RIGHT) / perRow),
    height: TOP + cut.length * (rowHeight + GAP),
  };
}

export interface ChartPlace {
  readonly x: number;
  readonly row: ChartRow;
}

/** Where a tick lies; past the song's end, at the end of the last row. */
export function placeOf(layout: ChartLayout, meter: MeterMap, tick: Ticks): ChartPlace | undefined {
  const bar = Math.max(1, barAt(meter, tick));
  const row = layout.rows.findLast((r) => r.firstBar <= bar);
  if (!row) return undefined;
  const start = barStart(meter, bar);
  const share = Math.max(0, (tick - start) / (barStart(meter, bar + 1) - start));
  return { x: layout.left + Math.min(row.lastBar - row.firstBar + 1, bar - row.firstBar + share) * layout.cell, row };
}

/** The bar at a point, or undefined beside the bars. With `near`, the nearest bar of the nearest row. */
export function barAtPoint(layout: ChartLayout, x: number, y: number, near = false): number | undefined {
  const row = near
    ? layout.rows.reduce((best, r) => (Math.abs(y - (r.y + r.height / 2)) < Math.abs(y - (best.y + best.height / 2)) ? r : best), layout.rows[0]!)
    : layout.rows.find((r) => y >= r.y && y <= r.y + r.height);
  if (!row) return undefined;
  const bar = row.firstBar + Math.floor((x - layout.left) / layout.cell);
  if (near) return Math.max(row.firstBar, Math.min(row.lastBar, bar));
  return x >= layout.left && bar <= row.lastBar ? bar : undefined;
}
