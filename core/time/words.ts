import { barAt, positionAt, type MeterMap } from './meter';
import type { TickRange } from './units';

/**
 * "bars 17–20", or "3 · 2 to 4 · 1" when it does not go from bar line to bar line.
 * @example rangeWords({ from: 0, to: 7680 }, meterMap([{ bar: 1, beats: 4, unit: 4 }])) // 'bars 1–2'
 */
export function rangeWords(range: TickRange, meter: MeterMap): string {
  const from = positionAt(meter, range.from);
  const to = positionAt(meter, range.to);
  if (from.beat === 1 && from.tick === 0 && to.beat === 1 && to.tick === 0) {
    return to.bar - 1 === from.bar ? `bar ${from.bar}` : `bars ${from.bar}–${to.bar - 1}`;
  }
  return `${from.bar} · ${from.beat} to ${to.bar} · ${to.beat}`;
}

/**
 * "bars 1–40" for the range of a take, outward to whole bars.
 * @example barsWords({ from: 100, to: 3841 }, meterMap([{ bar: 1, beats: 4, unit: 4 }])) // 'bars 1–2'
 */
export function barsWords(range: TickRange, meter: MeterMap): string {
  const first = barAt(meter, range.from);
  const last = Math.max(first, barAt(meter, range.to - 1));
  return first === last ? `bar ${first}` : `bars ${first}–${last}`;
}
