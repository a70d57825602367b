import { median } from '../numbers';
import type { Bpm, Seconds } from './units';

/** Pulse found in taps. */
export interface TappedPulse {
  readonly period: Seconds;
  /** Taps a minute. */
  readonly bpm: Bpm;
  /** Time of the first beat by the fitted pulse. */
  readonly start: Seconds;
  /** Taps that belong to the pulse, each with its beat, counted from the first. */
  readonly taps: readonly { readonly beat: number; readonly at: Seconds }[];
  /** Root mean square deviation of the taps from the pulse. */
  readonly spread: Seconds;
}

/** Largest deviation of a tap in periods; beyond it the tap is a slip. */
const SLIP = 0.25;

/** Least squares of time over beats. */
function line(taps: TappedPulse['taps']): { start: Seconds; period: Seconds } {
  const n = taps.length;
  const meanBeat = taps.reduce((s, t) => s + t.beat, 0) / n;
  const meanAt = taps.reduce((s, t) => s + t.at, 0) / n;
  const across = taps.reduce((s, t) => s + (t.beat - meanBeat) ** 2, 0);
  const period = taps.reduce((s, t) => s + (t.beat - meanBeat) * (t.at - meanAt), 0) / across;
  return { start: meanAt - meanBeat * period, period };
}

/**
 * The pulse that somebody taps. A missed tap is a gap of two periods, a slip or a double tap is left out: the period
 * starts as the middle of the intervals, each gap is so many whole periods, and a straight line through beat and time
 * gives what the taps say together.
 * @param times rising
 * @returns undefined for fewer than two taps, or when they have no common pulse
 */
export function tappedPulse(times: readonly Seconds[]): TappedPulse | undefined {
  const gaps = times
    .slice(1)
    .map((t, i) => t - times[i]!)
    .filter((gap) => gap > 0);
  if (gaps.length === 0) return undefined;
  const middle = median(gaps);
  // Even if half of the gaps were missed taps, the shortest would still be the period.
  const near = gaps.filter((gap) => Math.abs(gap / middle - 1) < SLIP);
  let period = near.length ? near.reduce((a, b) => a + b, 0) / near.length : middle;
  const taps: { beat: number; at: Seconds }[] = [{ beat: 0, at: times[0]! }];
  for (const at of times.slice(1)) {
    const last = taps.at(-1)!;
    const beats = (at - last.at) / period;
    const whole = Math.round(beats);
    if (whole < 1 || Math.abs(beats - whole) > SLIP) {
      // A first tap that no other agrees with is itself the slip.
      if (taps.length === 1 && whole >= 1) taps[0] = { beat: 0, at };
      continue;
    }
    taps.push({ beat: last.beat + whole, at });
    if (taps.length > 2) period = line(taps).period;
  }
  if (taps.length < 2) return undefined;
  const fit = line(taps);
  const spread = Math.sqrt(taps.reduce((s, t) => s + (t.at - fit.start - t.beat * fit.period) ** 2, 0) / taps.length);
  return { period: fit.period, bpm: 60 / fit.period, start: fit.start, taps, spread };
}
