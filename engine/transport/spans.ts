import type { Loop } from '../../core/recording/state';
import type { Seconds } from '../../core/time/units';
import type { Anchor } from './anchor';

/** Span of the song as it is rolled: at `at` on the rolling clock the song plays from `from` to `to`. */
export interface Span {
  readonly at: Seconds;
  readonly from: Seconds;
  readonly to: Seconds;
  /** Number of the lap, from 0. */
  readonly lap: number;
}

/**
 * Spans that are rolled from a moment on: the song to its end, or laps of a loop until another moment. A lap begins
 * exactly where the one before ends: each is counted from the loop's start, so that nothing adds up.
 */
export function spansOf(loop: Loop | null, from: Seconds, until: Seconds, end: Seconds): Span[] {
  if (!loop) return [{ at: from, from, to: Math.max(from, end), lap: 0 }];
  const length = loop.to - loop.from;
  const spans: Span[] = [];
  let lap = from < loop.to ? 0 : Math.floor((from - loop.from) / length);
  for (let at = from; at < until || spans.length === 0; lap += 1) {
    const over = loop.to + lap * length;
    spans.push({ at, from: at - lap * length, to: loop.to, lap });
    at = over;
  }
  return spans;
}

/** Anchor of a span's song time on the audio clock. */
export const anchorOf = (anchor: Anchor, { at, from }: Span): Anchor => ({
  ...anchor,
  song: anchor.song - (at - from),
});
