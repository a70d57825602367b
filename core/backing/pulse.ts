import type { Seconds } from '../time/units';
import type { Spectrum } from './spectrum';

/** Range of pulses, 40 to 220 a minute. */
const SHORTEST: Seconds = 60 / 220;
const LONGEST: Seconds = 60 / 40;
/** Ratio between neighbouring candidates, a little over one percent. */
const CANDIDATES = 150;
const STEP = Math.log(LONGEST / SHORTEST) / (CANDIDATES - 1);
const WINDOW: Seconds = 8;
const EVERY: Seconds = 1;
/** Centre and width of a log-normal preference for pulses that people tap to. */
const USUAL: Seconds = 60 / 112;
const OCTAVES = 0.62;
/** Most candidates by which the pulse may move from one moment to the next. */
const REACH = 10;
const COST = 0.006;

/** Length of the pulse at each moment. */
export interface Pulse {
  readonly every: Seconds;
  readonly periods: readonly Seconds[];
}

const periodOf = (candidate: number): Seconds => SHORTEST * Math.exp(candidate * STEP);

/** Autocorrelation of a range for lags 0 to `lags`, corrected for the shrinking overlap, 1 at lag 0. */
function autocorrelation(x: Float32Array, from: number, to: number, lags: number): Float32Array {
  const out = new Float32Array(lags + 1);
  const size = to - from;
  let mean = 0;
  for (let i = from; i < to; i += 1) mean += x[i]!;
  mean /= Math.max(1, size);
  for (let lag = 0; lag <= lags && lag < size; lag += 1) {
    let sum = 0;
    for (let i = from; i + lag < to; i += 1) sum += (x[i]! - mean) * (x[i + lag]! - mean);
    out[lag] = sum / Math.max(size - lag, size / 2);
  }
  const whole = out[0]! || 1;
  for (let lag = 0; lag <= lags; lag += 1) out[lag]! /= whole;
  return out;
}

function at(x: Float32Array, lag: number): number {
  const i = Math.floor(lag);
  return i + 1 < x.length ? x[i]! * (1 - (lag - i)) + x[i + 1]! * (lag - i) : 0;
}

/**
 * The pulse over time: in windows of eight seconds, how well the onsets agree with themselves one, two, three and four
 * pulses later, under a preference for pulses that people tap to; then the smoothest good way through all windows by
 * dynamic programming. After M. Davies and M. Plumbley, "Context-dependent beat tracking of musical audio", IEEE TASLP
 * 15(3), 2007.
 * @param prefer another usual pulse, for a player who knows better
 */
export function pulseOf({ strength, rate, length }: Spectrum, prefer: Seconds = USUAL): Pulse {
  // Half the envelope's rate is enough for a period.
  const half = new Float32Array(Math.floor(strength.length / 2));
  for (let i = 0; i < half.length; i += 1) half[i] = Math.min(6, Math.max(strength[2 * i]!, strength[2 * i + 1]!));
  const halfRate = rate / 2;
  const moments = Math.max(1, Math.ceil(length / EVERY));
  const lags = Math.ceil(LONGEST * 4 * halfRate) + 2;
  const spread = prefer === USUAL ? OCTAVES : OCTAVES / 3;
  const taste = Float64Array.from({ length: CANDIDATES }, (_, c) =>
    Math.exp(-0.5 * (Math.log2(periodOf(c) / prefer) / spread) ** 2),
  );
  const best = new Float64Array(CANDIDATES).fill(0);
  const from: Int16Array[] = [];
  for (let m = 0; m < moments; m += 1) {
    const middle = m * EVERY * halfRate;
    // At the ends the window keeps its length and leans inward.
    const wide = WINDOW * halfRate;
    const start = Math.max(0, Math.min(half.length - wide, middle - wide / 2));
    const ac = autocorrelation(half, Math.round(start), Math.round(Math.min(half.length, start + wide)), lags);
    const back = new Int16Array(CANDIDATES);
    const before = best.slice();
    for (let c = 0; c < CANDIDATES; c += 1) {
      const lag = periodOf(c) * halfRate;
      const good = (at(ac, lag) + 0.5 * at(ac, 2 * lag) + 0.25 * at(ac, 3 * lag) + 0.45 * at(ac, 4 * lag)) / 2.2;
      let most = -Infinity;
      for (let d = Math.max(0, c - REACH); d <= Math.min(CANDIDATES - 1, c + REACH); d += 1) {
        const score = before[d]! - COST * (c - d) ** 2;
        if (score > most) {
          most = score;
          back[c] = d;
        }
      }
      best[c] = most + taste[c]! * Math.max(0, good);
    }
    from.push(back);
  }
  const periods = new Array<Seconds>(moments);
  let c = best.indexOf(Math.max(...best));
  for (let m = moments - 1; m >= 0; m -= 1) {
    periods[m] = periodOf(c);
    c = from[m]![c]!;
  }
  return { every: EVERY, periods };
}

export function periodAt({ every, periods }: Pulse, time: Seconds): Seconds {
  const i = Math.max(0, Math.min(periods.length - 1, time / every));
  const low = Math.floor(i);
  const high = Math.min(periods.length - 1, low + 1);
  return periods[low]! * (1 - (i - low)) + periods[high]! * (i - low);
}
