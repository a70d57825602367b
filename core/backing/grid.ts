import FFT from 'fft.js';
import type { Seconds } from '../time/units';
import { beatsOf } from './beats';
import { pulseOf } from './pulse';
import type { Spectrum } from './spectrum';

/** Times of a periodic event in a recording, from before its start to after its end. */
export interface Grid {
  /** Times in order; some steps to a pulse, of whichever pulse is plainest. */
  readonly times: readonly Seconds[];
  /** True where all steps are equally long. */
  readonly steady: boolean;
}

/** Range of pulses in beats a minute. */
const SHORTEST: Seconds = 60 / 220;
const LONGEST: Seconds = 60 / 50;
/** Harmonics of a pulse's rate that are summed. */
const HARMONICS = [1, 2, 3, 4, 6, 8];
/** Ceiling of a stroke's strength. */
const MOST = 5;
const WINDOW: Seconds = 8;
/** Number of phases tried within a pulse. */
const PHASES = 96;
/** Largest offset at which a window is in step with a steady pulse, and the least share of windows that has to be. */
const IN_STEP: Seconds = 0.015;
const STEADY = 0.93;
/** Share of the plainest pulse's harmonics in a window, below which a pulse is not the window's own. */
const OWN = 0.6;
/** Least share of strokes in windows whose own pulse a steady one is; breaks and free intros have others. */
const MOSTLY = 0.65;
/** Ratio of neighbouring pulses that are tried in a window. */
const FINER = 1.006;

const clipped = ({ strength }: Spectrum): Float32Array => strength.map((v) => Math.min(MOST, v));

/** Fourier sum of a range at one frequency. */
function sumAt(x: Float32Array, perFrame: number, from: number, to: number): { re: number; im: number } {
  const [c, s] = [Math.cos(2 * Math.PI * perFrame), Math.sin(2 * Math.PI * perFrame)];
  let [re, im] = [0, 0];
  let [u, v] = [Math.cos(2 * Math.PI * perFrame * from), Math.sin(2 * Math.PI * perFrame * from)];
  for (let i = from; i < to; i += 1) {
    re += x[i]! * u;
    im -= x[i]! * v;
    [u, v] = [u * c - v * s, u * s + v * c];
  }
  return { re, im };
}

/** Magnitude spectrum of the whole envelope, finely sampled. */
function magnitudes(x: Float32Array): { size: number; of: Float32Array } {
  let size = 1024;
  while (size < 4 * x.length) size *= 2;
  const fft = new FFT(size);
  const mean = x.reduce((a, b) => a + b, 0) / Math.max(1, x.length);
  const input = new Array<number>(size).fill(0);
  for (let i = 0; i < x.length; i += 1) input[i] = x[i]! - mean;
  const output = fft.createComplexArray() as number[];
  fft.realTransform(output, input);
  return {
    size,
    of: Float32Array.from({ length: size / 2 }, (_, k) => Math.hypot(output[2 * k]!, output[2 * k + 1]!) / x.length),
  };
}

/** Sum of the magnitudes of a pulse's harmonics in a range. */
const harmonicSum = (x: Float32Array, rate: number, period: Seconds): number =>
  HARMONICS.reduce((sum, h) => {
    const { re, im } = sumAt(x, h / period / rate, 0, x.length);
    return sum + Math.hypot(re, im);
  }, 0);

/** Pulse whose rate and harmonics stand out most, assuming one tempo throughout. */
function steadyPeriod(spectrum: Spectrum): { period: Seconds; phase: Seconds } {
  const x = clipped(spectrum);
  const { rate } = spectrum;
  const { size, of } = magnitudes(x);
  const at = (hertz: number): number => {
    const k = (hertz * size) / rate;
    const low = Math.floor(k);
    return low + 1 < of.length ? Math.max(of[low]!, of[low + 1]!) : 0;
  };
  const scoreOf = (period: Seconds): number => HARMONICS.reduce((sum, h) => sum + at(h / period), 0);
  // Number of frames by which one period may err before the last harmonic is out of step over the whole.
  const step = 0.25 / HARMONICS.at(-1)!;
  let [best, most] = [0.5, -Infinity];
  for (let period = SHORTEST; period < LONGEST;) {
    const score = scoreOf(period);
    if (score > most) [best, most] = [period, score];
    const rounds = spectrum.length / period;
    period *= 1 + step / Math.max(8, rounds);
  }
  return refined(x, rate, best);
}

/** Period and phase near a given one at which the harmonics agree best. */
function refined(x: Float32Array, rate: number, near: Seconds): { period: Seconds; phase: Seconds } {
  const scoreOf = (period: Seconds) => harmonicSum(x, rate, period);
  let [best, most] = [near, scoreOf(near)];
  let width = (near * (0.5 / Math.max(8, x.length / rate / near))) / 4;
  for (let round = 0; round < 8; round += 1) {
    for (const period of [best - width, best + width]) {
      const score = scoreOf(period);
      if (score > most) [best, most] = [period, score];
    }
    width /= 2;
  }
  // Phase at which the steps meet the strongest strokes.
  let [phase, high] = [0, -Infinity];
  for (let i = 0; i < PHASES; i += 1) {
    let sum = 0;
    for (let at = (i / PHASES) * best; at < x.length / rate; at += best) sum += x[Math.round(at * rate)] ?? 0;
    if (sum > high) [phase, high] = [(i / PHASES) * best, sum];
  }
  return { period: best, phase };
}

/** Offset of each window from a steady pulse, by its strongest harmonic, with the window's strokes. */
function offsetsOf(x: Float32Array, rate: number, period: Seconds): { at: Seconds; weight: number }[] {
  const wide = Math.round(WINDOW * rate);
  const size = (h: number) => {
    const { re, im } = sumAt(x, h / period / rate, 0, x.length);
    return Math.hypot(re, im);
  };
  const best = HARMONICS.map((h) => [h, size(h)] as const).sort((a, b) => b[1] - a[1])[0]![0];
  const all: { at: Seconds; weight: number }[] = [];
  const whole = sumAt(x, best / period / rate, 0, x.length);
  for (let from = 0; from + wide / 2 < x.length; from += Math.round(wide / 2)) {
    const { re, im } = sumAt(x, best / period / rate, from, Math.min(x.length, from + wide));
    // Phase against that of the whole.
    const angle = Math.atan2(im * whole.re - re * whole.im, re * whole.re + im * whole.im);
    let strokes = 0;
    for (let i = from; i < Math.min(x.length, from + wide); i += 1) strokes += x[i]!;
    all.push({ at: (-angle / (2 * Math.PI)) * (period / best), weight: strokes });
  }
  return all;
}

/** Share of a recording's strokes in windows that are in step with a steady pulse. */
function inStep(spectrum: Spectrum, period: Seconds, within: Seconds): number {
  const all = offsetsOf(clipped(spectrum), spectrum.rate, period);
  const sum = all.reduce((s, o) => s + o.weight, 0) || 1;
  return all.reduce((s, o) => s + (Math.abs(o.at) <= within ? o.weight : 0), 0) / sum;
}

/**
 * Share of a recording's strokes in windows in which no other pulse is much plainer. Tempos in a simple ratio, as 120
 * and 150, have some harmonics in common, and so are in step with each other by those alone.
 */
function ofOwnPulse(spectrum: Spectrum, period: Seconds): number {
  const x = clipped(spectrum);
  const { rate } = spectrum;
  const wide = Math.round(WINDOW * rate);
  let [own, all] = [0, 0];
  for (let from = 0; from + wide / 2 < x.length; from += Math.round(wide / 2)) {
    const part = x.slice(from, from + wide);
    const strokes = part.reduce((a, b) => a + b, 0);
    const level = part.map((v) => v - strokes / part.length);
    let most = 0;
    for (let other = SHORTEST; other < LONGEST; other *= FINER) most = Math.max(most, harmonicSum(level, rate, other));
    if (harmonicSum(level, rate, period) >= OWN * most) own += strokes;
    all += strokes;
  }
  return own / (all || 1);
}

/** Grid of a recording: periodic where one tempo holds, otherwise following the strokes. */
export function gridOf(spectrum: Spectrum): Grid {
  const { period, phase } = steadyPeriod(spectrum);
  const steady = inStep(spectrum, period, IN_STEP) >= STEADY && ofOwnPulse(spectrum, period) >= MOSTLY;
  if (steady) {
    const from = phase + spectrum.start - Math.ceil((phase + spectrum.start) / period + 2) * period;
    const count = Math.ceil((spectrum.length - from) / period) + 3;
    return { steady, times: Array.from({ length: count }, (_, i) => from + i * period) };
  }
  const beats = beatsOf(spectrum, pulseOf(spectrum, period)).map((b) => b.at);
  if (beats.length < 2) return { steady, times: beats };
  // Two steps more at either end, as a beat can lie before the first stroke.
  const [first, last] = [beats[1]! - beats[0]!, beats.at(-1)! - beats.at(-2)!];
  return {
    steady,
    times: [beats[0]! - 2 * first, beats[0]! - first, ...beats, beats.at(-1)! + last, beats.at(-1)! + 2 * last],
  };
}
