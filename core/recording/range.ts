import type { Brief } from '../document/brief';
import type { SongMaps } from '../document/maps';
import { barAt, barStart, meterAt } from '../time/meter';
import { TICKS_PER_QUARTER, type TickRange, type Ticks } from '../time/units';

/** Shortest range that can be recorded. */
export const SHORTEST_RANGE: Ticks = TICKS_PER_QUARTER / 4;

/**
 * Bar line or beat nearest to a place, or the place itself.
 * @example snapped({ meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]), end: 15360 }, 'bar', 2000) // 3840
 */
export function snapped({ meter, end }: SongMaps, snap: Brief['snap'], tick: Ticks): Ticks {
  const inside = (at: Ticks): Ticks => Math.max(0, Math.min(end, Math.round(at)));
  if (snap === 'free') return inside(tick);
  const { ticksPerBeat, ticksPerBar, tick: from } = meterAt(meter, Math.max(0, tick));
  const step = snap === 'bar' ? ticksPerBar : ticksPerBeat;
  return inside(from + Math.round((tick - from) / step) * step);
}

/**
 * Range between two places in either order, in whole bars where the snap is bars.
 * @example rangeBetween({ meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]), end: 9999 }, 'bar', 9, 5).to // 3840
 */
export function rangeBetween(maps: SongMaps, snap: Brief['snap'], a: Ticks, b: Ticks): TickRange {
  const { meter } = maps;
  const [from, to] = [Math.min(a, b), Math.max(a, b)];
  if (snap === 'bar') return { from: barStart(meter, barAt(meter, from)), to: barStart(meter, barAt(meter, to) + 1) };
  return { from: snapped(maps, snap, from), to: snapped(maps, snap, to) };
}

/**
 * Fields of the brief for a selected range.
 * @example withRange({ from: 3840, to: 0 }) // { range: { from: 0, to: 3840 }, punchIn: true, punchOut: true }
 */
export function withRange({ from, to }: TickRange): Pick<Brief, 'range' | 'punchIn' | 'punchOut'> {
  const [a, b] = [Math.min(from, to), Math.max(from, to)];
  return { range: { from: a, to: Math.max(a + SHORTEST_RANGE, b) }, punchIn: true, punchOut: true };
}

/**
 * Fields of the brief after one end was moved; the other moves along where it has to, and stays off if it was never
 * set.
 * @returns null where both would be at one place
 */
export function withEdge(
  { range: before }: Brief,
  { meter, end }: SongMaps,
  which: 'from' | 'to',
  tick: Ticks,
): Partial<Pick<Brief, 'range' | 'punchIn' | 'punchOut'>> | null {
  const barLength = (at: Ticks): Ticks => meterAt(meter, at).ticksPerBar;
  const now = before ?? { from: 0, to: end };
  const range =
    which === 'from'
      ? { from: tick, to: now.to > tick ? now.to : Math.min(end, tick + barLength(tick)) }
      : { from: now.from < tick ? now.from : Math.max(0, tick - barLength(tick - 1)), to: tick };
  if (range.to - range.from < SHORTEST_RANGE) return null;
  if (before === null) return { range, punchIn: which === 'from', punchOut: which === 'to' };
  return { range, ...(which === 'from' ? { punchIn: true } : { punchOut: true }) };
}

/**
 * Fields of the brief after the lead-in was switched; one without a length gets a bar.
 * @example withLeadInTurned({ leadIn: { count: 2, unit: 'bars' }, leadInOn: true }) // { leadInOn: false }
 */
export const withLeadInTurned = ({ leadIn, leadInOn }: Brief): Partial<Pick<Brief, 'leadIn' | 'leadInOn'>> =>
  leadIn.count === 0 ? { leadIn: { count: 1, unit: 'bars' }, leadInOn: true } : { leadInOn: !leadInOn };

/**
 * Place of an end that is set at the playhead: an out within a bar means the bar's end.
 * @example edgeHere({ meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]), end: 15360 }, 'bar', 'to', 100) // 3840
 */
export function edgeHere(maps: SongMaps, snap: Brief['snap'], which: 'from' | 'to', playhead: Ticks): Ticks {
  const { meter, end } = maps;
  const tick = Math.max(0, Math.min(end - 1, playhead));
  if (snap !== 'bar') return snapped(maps, snap, tick);
  return barStart(meter, barAt(meter, tick) + (which === 'to' ? 1 : 0));
}
