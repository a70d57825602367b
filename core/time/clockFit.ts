import { median } from '../numbers';
import type { Milliseconds, Seconds } from './units';

/** Reading of two clocks at one instant. */
export interface ClockPair {
  readonly performance: Milliseconds;
  readonly context: Seconds;
}

/** A straight line between the page's clock and the audio clock. */
export interface ClockFit {
  readonly contextAt: (performance: Milliseconds) => Seconds;
  readonly performanceAt: (context: Seconds) => Milliseconds;
  /** Audio seconds for each page second, minus one. */
  readonly drift: number;
  /** Median distance of the readings from the line. */
  readonly spread: Milliseconds;
}

/** Shortest span in which drift is fitted; below it jitter dominates. */
const SPAN_FOR_DRIFT: Milliseconds = 8000;
/** Largest drift. Crystal clocks are within 100 parts in a million, so five times that is a bad reading. */
const MOST_DRIFT = 500e-6;

/**
 * Fits one clock to the other: the median of the slopes between all pairs (Theil 1950, Sen 1968)
 * and the median of what remains, so that single late readings do not tilt the line.
 * @param pairs at least one; up to about a hundred are quick
 * @throws RangeError without pairs
 */
export function fitClocks(pairs: readonly ClockPair[]): ClockFit {
  const last = pairs.at(-1);
  if (!last) throw new RangeError('Two clocks cannot be fitted without a reading of both.');
  const origin = last.performance;
  let drift = 0;
  if (last.performance - pairs[0]!.performance >= SPAN_FOR_DRIFT) {
    const slopes: number[] = [];
    pairs.forEach((a, i) => {
      for (const b of pairs.slice(i + 1)) {
        // Neighbouring readings are too close to tell drift from jitter.
        const span = b.performance - a.performance;
        if (span >= SPAN_FOR_DRIFT / 2) slopes.push(((b.context - a.context) * 1000) / span - 1);
      }
    });
    if (slopes.length) drift = Math.max(-MOST_DRIFT, Math.min(MOST_DRIFT, median(slopes)));
  }
  const rate = (1 + drift) / 1000;
  const offset = median(pairs.map((p) => p.context - (p.performance - origin) * rate));
  const contextAt = (performance: Milliseconds): Seconds => offset + (performance - origin) * rate;
  return {
    contextAt,
    performanceAt: (context) => origin + (context - offset) / rate,
    drift,
    spread: median(pairs.map((p) => Math.abs(p.context - contextAt(p.performance)) * 1000)),
  };
}
