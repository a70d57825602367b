import type { Seconds } from '../time/units';
import { risenAt } from './beats';
import type { Spectrum } from './spectrum';

/** A stroke of a recording. */
export interface Stroke {
  readonly at: Seconds;
  /** How much came in, in spreads above what is usual around it. */
  readonly strength: number;
}

/** A stroke stands out by so much, and is the strongest within so many seconds. */
const STANDS_OUT = 1.2;
const ALONE: Seconds = 0.04;

/** The strokes of a recording, by time: where more comes in than just before and just after. */
export function strokesOf({ strength, rate, start }: Spectrum): Stroke[] {
  const reach = Math.max(1, Math.round(ALONE * rate));
  const strokes: Stroke[] = [];
  for (let i = 1; i < strength.length - 1; i += 1) {
    const own = strength[i]!;
    if (own < STANDS_OUT) continue;
    let isTop = true;
    for (let j = Math.max(0, i - reach); j <= Math.min(strength.length - 1, i + reach) && isTop; j += 1)
      isTop = strength[j]! < own || (strength[j] === own && j >= i);
    if (isTop) strokes.push({ at: start + risenAt(strength, i) / rate, strength: own });
  }
  return strokes;
}
