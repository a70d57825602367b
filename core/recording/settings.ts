import { barAt, barStart, meterAt, type MeterMap } from '../time/meter';
import type { TickRange, Ticks } from '../time/units';
import type { Span } from '../vocabulary/modes';

/**
 * Place that lies a span before another: bars by their own lengths, beats by the beat there.
 * @example spanBefore(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 7680, { count: 1, unit: 'bars' }) // 3840
 */
export function spanBefore(meter: MeterMap, at: Ticks, { count, unit }: Span): Ticks {
  if (count === 0) return at;
  if (unit === 'beats') return at - count * meterAt(meter, at - 1).ticksPerBeat;
  const bar = barAt(meter, at);
  const into = at - barStart(meter, bar);
  return barStart(meter, bar - count) + into;
}

/**
 * Place that lies a span after another.
 * @example spanAfter(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 0, { count: 2, unit: 'beats' }) // 1920
 */
export function spanAfter(meter: MeterMap, at: Ticks, { count, unit }: Span): Ticks {
  if (count === 0) return at;
  if (unit === 'beats') return at + count * meterAt(meter, at).ticksPerBeat;
  const bar = barAt(meter, at);
  return barStart(meter, bar + count) + (at - barStart(meter, bar));
}

interface RangeSettings {
  readonly range: TickRange | null;
  readonly punchIn: boolean;
  readonly punchOut: boolean;
}

/**
 * Recorded range: from the in, or the playhead, to the out, or the song's end. An out before the start and an in after
 * the song's end are ignored.
 * @example recordedRange({ range: { from: 9, to: 19 }, punchIn: true, punchOut: false }, 0, 40) // { from: 9, to: 40 }
 */
export function recordedRange({ range, punchIn, punchOut }: RangeSettings, start: Ticks, end: Ticks): TickRange {
  const from = Math.max(0, Math.min(range && punchIn ? range.from : start, end - 1));
  const to = range && punchOut && range.to > from ? Math.min(range.to, Math.max(end, from + 1)) : end;
  return { from, to };
}
