import { decibelsFromGain, type Frames, type Seconds } from '../time/units';

/** Both sides of a recorded note, of one length. */
export type Sides = readonly [Float32Array, Float32Array];

/** Share of the peak at which a note has begun. */
const BEGINS_AT = 0.03;
/** The same share where the note is cut, a little lower, as encoding makes some samples softer. */
const CUT_AT = 0.04;
/** Time kept before the onset, for a fade-in. */
const AHEAD: Seconds = 0.0004;
/** Time from its onset over which a note's level is measured. */
const LEVEL_OVER: Seconds = 0.3;
/** Time within which the peak is looked for. */
const STRUCK_WITHIN: Seconds = 0.25;

const loudest = (sides: Sides, to: Frames): number => {
  let peak = 0;
  for (const side of sides)
    for (let i = 0; i < Math.min(to, side.length); i += 1) peak = Math.max(peak, Math.abs(side[i]!));
  return peak;
};

/** First frame at which a note sounds; its length where it is silent. */
export function onsetOf(sides: Sides, rate: number, share = BEGINS_AT): Frames {
  const level = loudest(sides, STRUCK_WITHIN * rate) * share;
  let at = 0;
  while (at < sides[0].length && Math.abs(sides[0][at]!) <= level && Math.abs(sides[1][at]!) <= level) at += 1;
  return at;
}

/** Note without the noise of the key before the hammer; its onset is within half a millisecond. */
export function fromOnset(sides: Sides, rate: number): Sides {
  const ahead = Math.round(AHEAD * rate);
  const from = Math.max(0, onsetOf(sides, rate, CUT_AT) - ahead);
  return sides.map((side) => {
    const cut = side.slice(from);
    for (let i = 0; i < ahead; i += 1) cut[i]! *= (i + 1) / (ahead + 1);
    return cut;
  }) as unknown as Sides;
}

/** Level of a note from its first frame, in decibels below full scale. */
export function levelOf(sides: Sides, rate: number): number {
  const frames = Math.min(sides[0].length, Math.round(LEVEL_OVER * rate));
  let sum = 0;
  for (const side of sides) for (let i = 0; i < frames; i += 1) sum += side[i]! ** 2;
  return decibelsFromGain(Math.sqrt(sum / (2 * frames)));
}

/** Smooths values over keys with a straight line through each key's neighbours, weighted by nearness. */
export function smoothed(keys: readonly number[], values: readonly number[], spread: number, at: number): number {
  let [w, wx, wxx, wy, wxy] = [0, 0, 0, 0, 0];
  keys.forEach((key, i) => {
    const x = key - at;
    const weight = Math.exp(-0.5 * (x / spread) ** 2);
    w += weight;
    wx += weight * x;
    wxx += weight * x * x;
    wy += weight * values[i]!;
    wxy += weight * x * values[i]!;
  });
  const across = w * wxx - wx * wx;
  return across > 0 ? (wxx * wy - wx * wxy) / across : wy / w;
}
