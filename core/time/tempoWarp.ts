import { secondsAt, tickAt, type TempoMap } from './tempo';
import type { Seconds, TickRange, Ticks } from './units';

/** Move of song time by which notes keep their seconds when the tempo map under them changes. */
export type TempoWarp = (tick: Ticks) => Ticks;

/**
 * Tempo warp between two tempo maps, exact in both directions but for rounding.
 * @param shift how much later moments are on the new map's clock, as the backing was moved against bar 1
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
