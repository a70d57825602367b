import { median } from '../numbers';
import type { Seconds } from '../time/units';

export const TAP_CLICKS = 16;
export const TAP_EVERY: Seconds = 0.6;
/** Number of clicks before taps count. */
const TO_FIND = 2;
const FEWEST = 8;
/** Largest spread of taps that follow a click. */
const WIDEST: Seconds = 0.04;

export type TapOutcome =
  | {
      readonly type: 'measured';
      readonly late: Seconds;
      readonly spread: Seconds;
      /** Lateness of each counted tap, in order. */
      readonly taps: readonly Seconds[];
    }
  | { readonly type: 'refused'; readonly why: 'few' | 'wide' };

export const TAP_REFUSALS: Readonly<Record<'few' | 'wide', string>> = {
  few: 'Too few taps were near a click. Tap one key with every click, and try again.',
  wide: 'The taps lie too far apart to say anything. Let the click settle in, and try again.',
};

/**
 * Lateness of taps against clicks: the middle, and a spread from the middle of the deviations, so that one slip does
 * not count (P. Rousseeuw and C. Croux, "Alternatives to the median absolute deviation", JASA 88, 1993).
 * @param clicks when each click was rendered
 * @param taps when each tap was made, on the same clock
 */
export function readTaps(clicks: readonly Seconds[], taps: readonly Seconds[]): TapOutcome {
  const late = clicks.slice(TO_FIND).flatMap((click) => {
    const near = taps.filter((tap) => Math.abs(tap - click) < TAP_EVERY / 2);
    if (near.length === 0) return [];
    return [near.reduce((best, tap) => (Math.abs(tap - click) < Math.abs(best - click) ? tap : best)) - click];
  });
  if (late.length < FEWEST) return { type: 'refused', why: 'few' };
  const middle = median(late);
  const spread = 1.4826 * median(late.map((l) => Math.abs(l - middle)));
  if (spread > WIDEST) return { type: 'refused', why: 'wide' };
  return { type: 'measured', late: middle, spread, taps: late };
}

/**
 * The output latency from two tap tests. People tap early by habit, so one alone says little; but whoever hears the
 * keyboard's own sound lines the tap up with the click as heard, and whoever hears this program's sound lines up two
 * sounds that are late alike. The habit is in both, and their difference is the output latency.
 */
export const outputFromTaps = (own: Seconds, through: Seconds): Seconds => Math.max(0, own - through);
