import type { Seconds } from '../time/units';
import type { Spectrum } from './spectrum';

/** Stroke in a recording. */
export interface Stroke {
  readonly at: Seconds;
  /** Onset strength in standard deviations above its surroundings. */
  readonly strength: number;
}

/** One channel of a recording. */
export interface Mix {
  readonly samples: Float32Array;
  readonly rate: number;
}

/** Least strength of a stroke, and the time within which it is the strongest. */
const STANDS_OUT = 1.2;
const ALONE: Seconds = 0.04;
/**
 * Steps searched before and after the spectrum's onset: a low note that swells peaks well after what was struck with
 * it.
 */
const BEFORE: Seconds = 0.045;
const AFTER: Seconds = 0.03;
const STEP: Seconds = 0.001;
/** Window before the rise, in steps. */
const FROM = 8;
const TO = 4;

/**
 * Moment at which the sound rises most, between two times in seconds, by its differences, in which a new note stands
 * out from those that sound on.
 */
function steepest({ samples, rate }: Mix, from: Seconds, to: Seconds): Seconds {
  const step = Math.max(1, Math.round(STEP * rate));
  const first = Math.max(1, Math.round(from * rate) - FROM * step);
  const count = Math.floor((Math.min(samples.length, Math.round(to * rate) + TO * step) - first) / step);
  const energy = new Float64Array(Math.max(0, count));
  for (let k = 0; k < count; k += 1)
    for (let i = first + k * step; i < first + (k + 1) * step; i += 1)
      energy[k]! += (samples[i]! - samples[i - 1]!) ** 2;
  const floor = energy.reduce((sum, e) => sum + e, 0) / Math.max(1, count) / 1000 + 1e-12;
  let [best, most] = [FROM, -Infinity];
  for (let k = FROM; k + TO <= count; k += 1) {
    let [before, after] = [0, 0];
    for (let i = k - FROM; i < k; i += 1) before += energy[i]! / FROM;
    for (let i = k; i < k + TO; i += 1) after += energy[i]! / TO;
    const rise = Math.log((after + floor) / (before + floor));
    if (rise > most) [best, most] = [k, rise];
  }
  return (first + (best + 0.5) * step) / rate;
}

/**
 * The strokes of a recording, by time: found where more comes in than just before and just after, and set on the
 * sound's own rise, to about a millisecond.
 */
export function strokesOf({ strength, rate, start }: Spectrum, mix: Mix): Stroke[] {
  const reach = Math.max(1, Math.round(ALONE * rate));
  const strokes: Stroke[] = [];
  for (let i = 1; i < strength.length - 1; i += 1) {
    const own = strength[i]!;
    if (own < STANDS_OUT) continue;
    let isTop = true;
    for (let j = Math.max(0, i - reach); j <= Math.min(strength.length - 1, i + reach) && isTop; j += 1)
      isTop = strength[j]! < own || (strength[j] === own && j >= i);
    if (!isTop) continue;
    const near = start + i / rate;
    strokes.push({ at: steepest(mix, near - BEFORE, near + AFTER), strength: own });
  }
  return strokes;
}
