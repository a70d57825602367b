import { secondsAt, tickAt, type TempoMap } from './tempo';
import type { Seconds, TickRange, Ticks } from './units';

/** Moves song time so that what was played keeps its moment in seconds when the tempo map under it changes. */
export type TempoWarp = (tick: Ticks) => Ticks;

/**
 * TempoWarp from one tempo map to another, exact both ways but for rounding: the seconds stay.
 * @param shift how much later the moment lies on the new map's clock: the backing was moved against bar 1
 */
export const tempoWarpBetween =
  (from: TempoMap, to: TempoMap, shift: Seconds): TempoWarp =>
  (tick) =>
    tickAt(to, secondsAt(from, tick) + shift);

export const warpRange = <T extends TickRange>(range: T, warp: TempoWarp): T => ({
  ...range,
  from: warp(range.from),
  to: warp(range.to),
});
