import { bpmAt, type TempoChange, type TempoMap } from '~~/core/time/tempo';
import type { Ticks } from '~~/core/time/units';
import { barOfTick, xInRow, type ChartLayout, type ChartRow } from '~/chart/chartLayout';
import { FONTS, TOKENS } from '~/drawing/inks';

type Context = CanvasRenderingContext2D;

/** Tempos at the bottom and top of a row. */
export interface BpmRange {
  readonly low: number;
  readonly high: number;
}

const MARGIN = 9;
const HANDLE = 5;

/** Range of tempos to draw, with a margin for dragging. */
export function bpmRangeOf(changes: readonly TempoChange[]): BpmRange {
  const all = changes.map((c) => c.bpm);
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const air = Math.max(12, (high - low) * 0.35);
  return { low: Math.max(5, low - air), high: Math.min(1000, high + air) };
}

const bpmY = (row: ChartRow, bpm: number, { low, high }: BpmRange): number =>
  row.y + MARGIN + ((high - bpm) / (high - low)) * (row.height - 2 * MARGIN);
export const bpmAtY = (row: ChartRow, y: number, { low, high }: BpmRange): number =>
  high - ((y - row.y - MARGIN) / (row.height - 2 * MARGIN)) * (high - low);

/** Place of a change's handle; undefined ahead of bar 1. */
export function handleAt(
  layout: ChartLayout,
  change: TempoChange,
  range: BpmRange,
): { x: number; y: number } | undefined {
  const end = layout.starts.at(-1) ?? 0;
  if (change.tick < 0 || change.tick >= end) return undefined;
  const bar = barOfTick(layout, change.tick);
  const row = layout.rows.find((r) => r.firstBar <= bar && bar <= r.lastBar);
  return row && { x: xInRow(layout, row, bar, change.tick), y: bpmY(row, change.bpm, range) };
}

/** Draws the tempo as a line through the rows, with steps and slopes. */
export function drawTempo(
  c: Context,
  layout: ChartLayout,
  map: TempoMap,
  range: BpmRange,
  selected: Ticks | null,
): void {
  const { starts } = layout;
  for (const row of layout.rows) {
    const from = starts[row.firstBar - 1]!;
    const to = starts[row.lastBar]!;
    const x = (tick: Ticks) => xInRow(layout, row, barOfTick(layout, Math.min(tick, to - 1)), tick);
    c.strokeStyle = TOKENS.copper;
    c.lineWidth = 2;
    c.beginPath();
    c.moveTo(x(from), bpmY(row, bpmAt(map, from), range));
    for (const change of map.changes) {
      if (change.tick <= from || change.tick >= to) continue;
      c.lineTo(x(change.tick), bpmY(row, bpmAt(map, change.tick - 1e-6), range));
      c.lineTo(x(change.tick), bpmY(row, change.bpm, range));
    }
    c.lineTo(x(to), bpmY(row, bpmAt(map, to - 1e-6), range));
    c.stroke();
  }
  for (const change of map.changes) {
    const at = handleAt(layout, change, range);
    if (!at) continue;
    c.beginPath();
    c.arc(at.x, at.y, HANDLE, 0, 2 * Math.PI);
    c.fillStyle = change.tick === selected ? TOKENS.copper : TOKENS.sheet;
    c.fill();
    c.stroke();
    c.fillStyle = TOKENS.ink;
    c.font = `11px ${FONTS.figures}`;
    c.textBaseline = 'alphabetic';
    c.fillText(String(Math.round(change.bpm * 10) / 10), at.x + 8, at.y - 5);
  }
}
