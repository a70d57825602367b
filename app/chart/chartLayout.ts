import { firstIndex } from '~~/core/numbers';
import { barStart, type MeterMap } from '~~/core/time/meter';
import type { PlacedSection } from '~~/core/document/maps';
import type { Ticks } from '~~/core/time/units';

export interface ChartRow {
  readonly y: number;
  readonly height: number;
  readonly firstBar: number;
  /** Last bar of the row, included. */
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
  /** Start of each bar, bar 1 first; one more at the end. */
  readonly starts: readonly Ticks[];
}

const LEFT = 92;
const RIGHT = 12;
const GAP = 12;
const TOP = 16;
const LOWEST = 46;
const HIGHEST = 62;

/**
 * Bars in a row: eight, or four where sections have multiples of four that eight does not divide, or in little room.
 */
function barsARow(sections: readonly PlacedSection[], width: number): number {
  const lengths = sections.map((s) => s.lastBar - s.firstBar + 1);
  const inFours = lengths.every((n) => n % 4 === 0) && !lengths.some((n) => n % 8 === 0);
  return width < 620 || inFours ? 4 : 8;
}

/**
 * Wraps a song like a written part: each section begins a row, and a row has a phrase's length. Rows share the height
 * within limits; what does not fit is scrolled.
 */
export function layoutChart(
  sections: readonly PlacedSection[],
  meter: MeterMap,
  width: number,
  height: number,
): ChartLayout {
  const perRow = barsARow(sections, width);
  const cut = sections.flatMap((s) => {
    const rows: { firstBar: number; lastBar: number; name: string; barsText: string }[] = [];
    for (let first = s.firstBar; first <= s.lastBar; first += perRow) {
      const named = first === s.firstBar;
      rows.push({
        firstBar: first,
        lastBar: Math.min(s.lastBar, first + perRow - 1),
        name: named ? s.name : '',
        barsText: named ? `${s.firstBar}–${s.lastBar}` : '',
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

/** Distance by which a bracket exceeds its row. */
const OUTSTANDING = 6;

/** Layout reduced to the rows between `top` and `top + height`. */
export const rowsInSight = (layout: ChartLayout, top: number, height: number): ChartLayout => ({
  ...layout,
  rows: layout.rows.filter((r) => r.y + r.height + OUTSTANDING >= top && r.y - OUTSTANDING <= top + height),
});

/** Bar that a tick lies in, from 1 to the song's last. */
export function barOfTick({ starts }: ChartLayout, tick: Ticks): number {
  return Math.max(
    1,
    firstIndex(starts.length - 1, (i) => starts[i]! > tick),
  );
}

/** X of a tick in a row; ticks outside the row lie at its ends. */
export function xInRow({ starts, left, cell }: ChartLayout, row: ChartRow, bar: number, tick: Ticks): number {
  const start = starts[bar - 1]!;
  const share = (tick - start) / (starts[bar]! - start);
  return left + Math.max(0, Math.min(row.lastBar - row.firstBar + 1, bar - row.firstBar + share)) * cell;
}

/** Place of a tick; past the song's end, at the end of the last row. */
export function placeOf(layout: ChartLayout, tick: Ticks): ChartPlace | undefined {
  const bar = barOfTick(layout, tick);
  const row = layout.rows.findLast((r) => r.firstBar <= bar);
  return row && { x: xInRow(layout, row, bar, Math.max(layout.starts[0]!, tick)), row };
}

/** Bar at a point; undefined outside the bars. With `near`, the nearest bar of the nearest row. */
export function barAtPoint(layout: ChartLayout, x: number, y: number, near = false): number | undefined {
  const row = near
    ? layout.rows.reduce(
        (best, r) => (Math.abs(y - (r.y + r.height / 2)) < Math.abs(y - (best.y + best.height / 2)) ? r : best),
        layout.rows[0]!,
      )
    : layout.rows.find((r) => y >= r.y && y <= r.y + r.height);
  if (!row) return undefined;
  const bar = row.firstBar + Math.floor((x - layout.left) / layout.cell);
  if (near) return Math.max(row.firstBar, Math.min(row.lastBar, bar));
  return x >= layout.left && bar <= row.lastBar ? bar : undefined;
}

/** Tick at a point, in the row there or the nearest; undefined outside the bars. */
export function tickAtPoint(layout: ChartLayout, x: number, y: number, near = false): Ticks | undefined {
  const bar = barAtPoint(layout, x, y, near);
  if (bar === undefined) return undefined;
  const row = layout.rows.find((r) => bar >= r.firstBar && bar <= r.lastBar)!;
  const share = (x - layout.left) / layout.cell - (bar - row.firstBar);
  const [from, to] = [layout.starts[bar - 1]!, layout.starts[bar]!];
  return from + Math.max(0, Math.min(1, share)) * (to - from);
}

/** Row whose section name is at a point, left of the bars. */
export const nameAtPoint = (layout: ChartLayout, x: number, y: number): ChartRow | undefined =>
  x < layout.left - 4 ? layout.rows.find((r) => r.name && y >= r.y && y <= r.y + r.height) : undefined;

/** Edge of a range at a point, within a distance in pixels. */
export function edgeAtPoint(
  layout: ChartLayout,
  range: { readonly from: Ticks; readonly to: Ticks },
  x: number,
  y: number,
  reach: number,
): 'from' | 'to' | undefined {
  for (const which of ['from', 'to'] as const) {
    const tick = which === 'to' ? range.to - 1 : range.from;
    const place = placeOf(layout, tick);
    if (place && Math.abs(place.x - x) <= reach && y >= place.row.y && y <= place.row.y + place.row.height)
      return which;
  }
  return undefined;
}
