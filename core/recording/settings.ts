import { barAt, barStart, meterAt, type MeterMap } from '../time/meter';
import type { TickRange, Ticks } from '../time/units';
import type { Span } from '../vocabulary/modes';

/**
 * End of a span that is counted back from a place: bars back in the bars' own lengths, beats in the beat there.
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
 * End of a span that is counted on from a place.
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
 * Range that is recorded: from the in, or where the playhead is, to the out, or the song's end. An out that lies before
 * where recording begins is passed over, and so is an in past the song's end.
 * @example recordedRange({ range: { from: 9, to: 19 }, punchIn: true, punchOut: false }, 0, 40) // { from: 9, to: 40 }
 */
export function recordedRange({ range, punchIn, punchOut }: RangeSettings, start: Ticks, end: Ticks): TickRange {
  const from = Math.max(0, Math.min(range && punchIn ? range.from : start, end - 1));
  const to = range && punchOut && range.to > from ? Math.min(range.to, Math.max(end, from + 1)) : end;
  return { from, to };
}
