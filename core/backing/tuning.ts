import FFT from 'fft.js';
import { centsAt } from '../vocabulary/tuning';
import type { Mix } from './strokes';

/**
 * Tuning of a recording against an A of 440 Hz. Peaks of its spectrum over the whole piece are held against the nearest
 * key, and their distances, which go round every hundred cents, are averaged as directions (K. Dressler and S. Streich,
 * Tuning frequency estimation using circular statistics, ISMIR 2007).
 */
export interface FoundTuning {
  /** Cents against an A of 440 Hz, -50 to 50. At the ends the next key is as likely. */
  readonly cents: number;
  /** Confidence, 0 to 1: how far the peaks agree. Below `SURE` nothing is known. */
  readonly sure: number;
}

/** Least confidence at which a tuning is told. */
export const SURE = 0.3;

const WINDOW = 8192;
/** Number of frames examined, spread over the piece. */
const MOST_FRAMES = 900;
/** Range of frequencies: below it a bin is too wide, above it partials of strings are sharp. */
const LOWEST_HZ = 150;
const HIGHEST_HZ = 1300;
/** Factor by which a peak exceeds its surroundings, and how near, in cents, it has to recur in the next frame. */
const STANDS_OUT = 6;
const AROUND = 40;
const COMES_AGAIN = 12;
/** Width in cents within which peaks agree once the tuning is roughly known. */
const NEAR = 14;

/** Least number of peaks. */
const FEWEST = 40;

interface Peak {
  readonly cents: number;
  readonly weight: number;
}

const hann = Float64Array.from({ length: WINDOW }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / WINDOW));
/** Distance from the nearest key, -50 to 50 cents. */
const fromKey = (cents: number): number => cents - 100 * Math.round(cents / 100);

/** Peaks of one frame's spectrum, interpolated between bins. */
function peaksOf(magnitude: Float64Array, rate: number): Peak[] {
  const [from, to] = [LOWEST_HZ, HIGHEST_HZ].map((hz) => Math.round((hz * WINDOW) / rate));
  const peaks: Peak[] = [];
  let sum = 0;
  for (let k = from! - AROUND; k < from! + AROUND; k += 1) sum += magnitude[k]!;
  for (let k = from!; k < to!; k += 1) {
    sum += magnitude[k + AROUND]! - magnitude[k - AROUND]!;
    const [a, b, c] = [magnitude[k - 1]!, magnitude[k]!, magnitude[k + 1]!];
    if (b <= a || b < c || b * 2 * AROUND < STANDS_OUT * sum) continue;
    // A parabola through the logarithms is exact to hundredths of a bin for this window.
    const [la, lb, lc] = [Math.log(a), Math.log(b), Math.log(c)];
    const place = k + (0.5 * (la - lc)) / (la - 2 * lb + lc);
    peaks.push({ cents: centsAt((place * rate) / WINDOW), weight: b ** 0.25 });
  }
  return peaks;
}

/** Peaks that two frames share, which leaves out strokes and noise. */
const held = (before: readonly Peak[], now: readonly Peak[]): Peak[] =>
  now.flatMap((peak) => {
    const same = before.find((p) => Math.abs(p.cents - peak.cents) < COMES_AGAIN);
    return same ? [{ cents: (same.cents + peak.cents) / 2, weight: Math.min(same.weight, peak.weight) }] : [];
  });

/** Circular mean of distances, and its length. */
function meanOf(distances: readonly Peak[]): { readonly cents: number; readonly length: number } {
  let [x, y, all] = [0, 0, 0];
  for (const { cents, weight } of distances) {
    const angle = (2 * Math.PI * cents) / 100;
    x += weight * Math.cos(angle);
    y += weight * Math.sin(angle);
    all += weight;
  }
  return { cents: (100 * Math.atan2(y, x)) / (2 * Math.PI), length: all > 0 ? Math.hypot(x, y) / all : 0 };
}

/**
 * Finds the tuning of a recording.
 * @param told called with the progress, 0 to 1
 * @returns a confidence of 0 where nothing in it has a pitch
 */
export function findTuning({ samples, rate }: Mix, told: (done: number) => void = () => {}): FoundTuning {
  const fft = new FFT(WINDOW);
  const spectrum = fft.createComplexArray() as number[];
  const [frame, magnitude] = [new Float64Array(WINDOW), new Float64Array(WINDOW / 2)];
  const half = WINDOW / 2;
  const steps = Math.floor((samples.length - WINDOW) / half);
  const every = Math.max(1, Math.ceil(steps / MOST_FRAMES));
  const peaksAt = (from: number): Peak[] => {
    for (let i = 0; i < WINDOW; i += 1) frame[i] = samples[from + i]! * hann[i]!;
    fft.realTransform(spectrum, frame);
    for (let k = 0; k < half; k += 1) magnitude[k] = Math.hypot(spectrum[2 * k]!, spectrum[2 * k + 1]!) + 1e-12;
    return peaksOf(magnitude, rate);
  };
  const peaks: Peak[] = [];
  for (let step = 0; step < steps; step += every) {
    peaks.push(...held(peaksAt(step * half), peaksAt((step + 1) * half)));
    if (step % (16 * every) === 0) told(step / steps);
  }
  const distances = peaks.map(({ cents, weight }) => ({ cents: fromKey(cents), weight }));
  const about = meanOf(distances);
  // Repeated with peaks that agree, so that slides and stiff strings no longer pull.
  const near = distances
    .map(({ cents, weight }) => ({ cents: fromKey(cents - about.cents), weight }))
    .filter(({ cents }) => Math.abs(cents) < NEAR);
  // A few pitched drums are no tuning: in music most frames have steady peaks.
  const share = Math.min(1, peaks.length / Math.max(1, steps / every));
  const sure = peaks.length < FEWEST ? 0 : about.length * share;
  return { cents: fromKey(about.cents + meanOf(near).cents), sure };
}
