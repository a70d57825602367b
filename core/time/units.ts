/**
 * Units of time. A bare number can be given where a unit is wanted, but one unit cannot be
 * given for another: the compiler refuses `Seconds` where `Ticks` are asked for.
 */
type Unit<Name extends string> = number & { readonly __unit?: Name };

/** Song time: 960 to a quarter note, bar 1 beat 1 = 0, negative before it. May be fractional. */
export type Ticks = Unit<'ticks'>;
/** Seconds on the song's clock (tick 0 = 0 s), or on the audio clock where a name says `context`. */
export type Seconds = Unit<'seconds'>;
/** Milliseconds; event time stamps are on the page's performance clock. */
export type Milliseconds = Unit<'milliseconds'>;
/** Sample frames at the rate given beside it. */
export type Frames = Unit<'frames'>;
/** Quarter notes a minute. */
export type Bpm = Unit<'bpm'>;
/** Level relative to full scale or to unity gain, in decibels. */
export type Decibels = Unit<'decibels'>;

export const TICKS_PER_QUARTER = 960;

/** Distance below which two places are the same but for rounding. */
export const TICK_TOLERANCE: Ticks = 1e-3;
/** Distance below which two moments are the same but for rounding. */
export const SECOND_TOLERANCE: Seconds = 1e-6;
/** Precision of the page's and the audio's clocks against each other. */
export const CLOCK_PRECISION: Seconds = 1e-3;

/** A half-open range of song time: `from` belongs to it, `to` does not. */
export interface TickRange {
  readonly from: Ticks;
  readonly to: Ticks;
}

/** @example inRange(960, { from: 0, to: 960 }) // false */
export const inRange = (tick: Ticks, range: TickRange): boolean => tick >= range.from && tick < range.to;

/** @example gainFromDecibels(-20) // 0.1 */
export const gainFromDecibels = (decibels: Decibels): number => 10 ** (decibels / 20);

/** @example decibelsFromGain(0.1) // -20 */
export const decibelsFromGain = (gain: number): Decibels => 20 * Math.log10(gain);

/**
 * Range in whole ticks, as places in a song are.
 * @example wholeTicks({ from: 0.4, to: 959.6 }) // { from: 0, to: 960 }
 */
export const wholeTicks = <T extends TickRange>(range: T): T => ({
  ...range,
  from: Math.round(range.from),
  to: Math.round(range.to),
});
