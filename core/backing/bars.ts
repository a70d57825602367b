import type { Seconds } from '../time/units';
import type { FoundBeat } from './beats';
import type { Spectrum } from './spectrum';

/** Meter found in a recording. */
export interface FoundMeter {
  /** Number of tracked pulses in a bar. */
  readonly pulses: number;
  readonly beats: number;
  readonly unit: number;
}

export interface FoundBars {
  readonly meter: FoundMeter;
  /** Index of the first beat that begins a bar. */
  readonly first: number;
  /** Probability of this bar among all bars of its beats, 0 to 1. */
  readonly sure: number;
}

/** Ceiling of the strokes at a place. */
const MOST = 3;
/** Least difference between strokes at thirds and at the half of a beat that makes it ternary. */
const STANDS_OUT = 1.25;
/** A shuffle has strokes at the last third only; ternary beats at the first third too. */
const BOTH = 0.6;
const LEAST = 0.3;

/** Test for ternary beats: strokes at one and two thirds against the half, mean over the beats. */
function goByThrees({ strength, rate, start }: Spectrum, beats: readonly FoundBeat[]): boolean {
  const near = Math.round(0.03 * rate);
  const at = (time: Seconds): number => {
    const middle = Math.round((time - start) * rate);
    let top = 0;
    for (let i = Math.max(0, middle - near); i <= Math.min(strength.length - 1, middle + near); i += 1)
      top = Math.max(top, strength[i]!);
    return Math.min(MOST, top);
  };
  const mean = (place: number): number =>
    beats.slice(1).reduce((sum, { at: to }, i) => sum + at(beats[i]!.at + (to - beats[i]!.at) * place), 0) /
    Math.max(1, beats.length - 1);
  const [third, half, twoThirds] = [mean(1 / 3), mean(1 / 2), mean(2 / 3)];
  return third > STANDS_OUT * half && twoThirds > STANDS_OUT * half && third > LEAST && third > BOTH * twoThirds;
}

/** Length below which a beat is an eighth, where a bar has an odd number of them. */
const EIGHTH: Seconds = 0.36;

/** Meter of some pulses to a bar. Ternary pulses are dotted quarters. */
export function meterOf(spectrum: Spectrum, beats: readonly FoundBeat[], pulses: number): FoundMeter {
  if (pulses < 5 && goByThrees(spectrum, beats)) return { pulses, beats: 3 * pulses, unit: 8 };
  const pulse = beats.length > 1 ? (beats.at(-1)!.at - beats[0]!.at) / (beats.length - 1) : 1;
  return { pulses, beats: pulses, unit: pulses > 4 && pulse < EIGHTH ? 8 : 4 };
}
