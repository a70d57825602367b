import { barStart, type MeterMap } from '~~/core/time/meter';
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
  /** Where each bar starts, bar 1 first; one more at the end. */
  readonly starts: readonly Ticks[];
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
export function layoutChart(sections: readonly PlacedSection[], meter: MeterMap, width: number, height: number): ChartLayout {
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
    starts: Array.from({ length: (cut.at(-1)?.lastBar ?? 0) + 1 }, (_, i) => barStart(meter, i + 1)),
  };
}

export interface ChartPlace {
  readonly x: number;
  readonly row: ChartRow;
}

/** How far a bracket stands out of its row. */
const OUTSTANDING = 6;

/** The layout with only the rows that show between `top` and `top + height`. */
export const rowsInSight = (layout: ChartLayout, top: number, height: number): ChartLayout => ({
  ...layout,
  rows: layout.rows.filter((r) => r.y + r.height + OUTSTANDING >= top && r.y - OUTSTANDING <= top + height),
});

/** The bar that a tick lies in, from 1 to the song's last. */
export function barOfTick({ starts }: ChartLayout, tick: Ticks): number {
  let low = 0;
  let high = starts.length - 2;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle]! <= tick) low = middle;
    else high = middle - 1;
  }
  return low + 1;
}

/** How far from the left a tick lies in a row; ticks beyond the row lie at its ends. */
export function xInRow({ starts, left, cell }: ChartLayout, row: ChartRow, bar: number, tick: Ticks): number {
  const start = starts[bar - 1]!;
  const share = (tick - start) / (starts[bar]! - start);
  return left + Math.max(0, Math.min(row.lastBar - row.firstBar + 1, bar - row.firstBar + share)) * cell;
}

/** Where a tick lies; past the song's end, at the end of the last row. */
export function placeOf(layout: ChartLayout, tick: Ticks): ChartPlace | undefined {
  const bar = barOfTick(layout, tick);
  const row = layout.rows.findLast((r) => r.firstBar <= bar);
  return row && { x: xInRow(layout, row, bar, Math.max(layout.starts[0]!, tick)), row };
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
