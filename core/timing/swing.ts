import { barAt, barStart, type MeterMap } from '../time/meter';
import { TICKS_PER_QUARTER, type Ticks } from '../time/units';

/** Note values that go in pairs of a long one and a short one. */
export const SWING_OF = [8, 16] as const;
export type SwingOf = (typeof SWING_OF)[number];

/** Straight, and the most that can be set: three to one. */
export const STRAIGHT = 50;
export const MOST_SWING = 75;

/**
 * Place of a line of a straight or dotted grid when pairs of notes are swung: the first of a pair takes `percent` of
 * the time of both. What lies between is spread evenly within each half.
 * @param percent 50 to 75; 50 leaves every tick where it is
 * @example swung(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 480, 75, 8) // 720
 */
export function swung(meter: MeterMap, tick: Ticks, percent: number, of: SwingOf): Ticks {
  if (percent === STRAIGHT) return tick;
  const bar = barAt(meter, tick);
  const [start, end] = [barStart(meter, bar), barStart(meter, bar + 1)];
  const pair = (TICKS_PER_QUARTER * 8) / of;
  const from = start + Math.floor((tick - start) / pair) * pair;
  // What is left of a bar that the pairs do not fill stays straight.
  if (from + pair > end) return tick;
  const share = (tick - from) / pair;
  const long = percent / 100;
  return from + pair * (share < 0.5 ? 2 * share * long : long + (2 * share - 1) * (1 - long));
}

/**
 * "2.0 : 1" of 66.7 per cent.
 * @example swingRatio(60) // '1.5 : 1'
 */
export const swingRatio = (percent: number): string => `${(percent / (100 - percent)).toFixed(1)} : 1`;
