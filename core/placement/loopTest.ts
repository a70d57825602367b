import { median } from '../numbers';
import FFT from 'fft.js';
import { decibelsFromGain, type Decibels, type Frames, type Seconds } from '../time/units';

/** Number of test sounds, and their distance, which exceeds any delay that can be measured. */
export const LOOP_STROKES = 12;
export const LOOP_EVERY: Seconds = 0.45;
export const LONGEST_DELAY: Seconds = 0.4;

/** Test sound: a sweep of 40 ms that resembles neither rooms nor music. */
const SWEEP: Seconds = 0.04;
const FROM_HZ = 800;
const TO_HZ = 7000;
const EDGE: Seconds = 0.004;

/** Samples of one test sound, at full scale. */
export function loopStroke(sampleRate: number): Float32Array {
  const size = Math.round(SWEEP * sampleRate);
  return Float32Array.from({ length: size }, (_, i) => {
    const t = i / sampleRate;
    const phase = 2 * Math.PI * (FROM_HZ * t + ((TO_HZ - FROM_HZ) * t * t) / (2 * SWEEP));
    const edge = Math.min(1, t / EDGE, (SWEEP - t) / EDGE);
    return 0.8 * Math.sin(phase) * (0.5 - 0.5 * Math.cos(Math.PI * Math.max(0, edge)));
  });
}

export type LoopOutcome =
  | {
      readonly type: 'measured';
      readonly delay: Seconds;
      readonly spread: Seconds;
      readonly level: Decibels;
      readonly strokes: number;
    }
  | { readonly type: 'refused'; readonly why: 'quiet' | 'noisy' | 'wide' };

/** Sentence for each reason of failure. */
export const REFUSALS: Readonly<Record<Extract<LoopOutcome, { type: 'refused' }>['why'], string>> = {
  quiet:
    'The clicks did not come back: the level is too low, or the cable or microphone is not where it ' +
    'should be. Turn it up and try again.',
  noisy: 'Something is louder than the clicks. Make it quiet, or turn the clicks up, and try again.',
  wide:
    'The clicks came back at different delays, so no figure can be trusted. Close what else uses the ' +
    'audio device, and try again.',
};

/** Level below which the test sounds are lost in the converter's noise. */
const QUIETEST: Decibels = -66;
/** Ratio of noise to test sound from which there is no result. */
const NOISE_RATIO = 1;
const WIDEST: Seconds = 0.0015;
/** Share of the test sounds that must agree. */
const TO_AGREE = 0.6;
const AGREES: Seconds = 0.002;

const nextPower = (n: number): number => 2 ** Math.ceil(Math.log2(n));

/**
 * Correlates pieces of a recording with the stroke, by FFT: a matched filter (G. Turin, IRE Trans. Inform. Theory 6(3),
 * 1960).
 */
function matchedFilter(stroke: Float32Array, longest: Frames): (piece: Float32Array) => Float32Array {
  const size = nextPower(longest + stroke.length);
  const fft = new FFT(size);
  const spectrumOf = (samples: Float32Array) => {
    const padded = new Array<number>(size).fill(0);
    samples.forEach((s, i) => {
      padded[i] = s;
    });
    const out = fft.createComplexArray() as number[];
    fft.realTransform(out, padded);
    fft.completeSpectrum(out);
    return out;
  };
  const b = spectrumOf(stroke);
  return (piece) => {
    const a = spectrumOf(piece);
    const product = fft.createComplexArray() as number[];
    for (let i = 0; i < size; i += 1) {
      const [ar, ai, br, bi] = [a[2 * i]!, a[2 * i + 1]!, b[2 * i]!, b[2 * i + 1]!];
      product[2 * i] = ar * br + ai * bi;
      product[2 * i + 1] = ai * br - ar * bi;
    }
    const back = fft.createComplexArray() as number[];
    fft.inverseTransform(back, product);
    return Float32Array.from({ length: longest }, (_, i) => back[2 * i]!);
  };
}

const rms = (samples: Float32Array): number =>
  Math.sqrt(samples.reduce((sum, s) => sum + s * s, 0) / Math.max(1, samples.length));

/** Position of the largest magnitude, interpolated between frames. */
function peak(x: Float32Array): { at: number; height: number } {
  let top = 0;
  for (let i = 0; i < x.length; i += 1) if (Math.abs(x[i]!) > Math.abs(x[top]!)) top = i;
  const [a, b, c] = [x[top - 1] ?? 0, x[top] ?? 0, x[top + 1] ?? 0].map(Math.abs) as [number, number, number];
  const bend = a - 2 * b + c;
  return { at: top + (bend < 0 ? (0.5 * (a - c)) / bend : 0), height: b };
}

/**
 * Delay of strokes out and back. Each is looked for by a matched filter where it can be; the middle of those that agree
 * is the delay. Rather no figure than a wrong one.
 * @param recording what came back, one channel
 * @param sent the frame in the recording at which each stroke went out, rising, `LOOP_EVERY` apart
 */
export function readLoop(recording: Float32Array, sampleRate: number, sent: readonly Frames[]): LoopOutcome {
  const stroke = loopStroke(sampleRate);
  const energy = stroke.reduce((sum, s) => sum + s * s, 0);
  const longest = Math.round(LONGEST_DELAY * sampleRate);
  const filter = matchedFilter(stroke, longest);
  const found = sent.map((frame) => {
    const from = Math.round(frame);
    const filtered = filter(recording.subarray(from, from + longest + stroke.length));
    const { at: within, height } = peak(filtered);
    const at = from + within;
    const gain = height / energy;
    // The rest of the range, without the test sound, is noise.
    const start = Math.round(at);
    const around = recording.slice(Math.max(0, start - stroke.length), start + 2 * stroke.length);
    const sign = (filtered[start - from] ?? 0) < 0 ? -1 : 1;
    const shift = start - Math.max(0, start - stroke.length);
    stroke.forEach((s, i) => {
      if (shift + i < around.length) around[shift + i]! -= sign * gain * s;
    });
    return { delay: (at - frame) / sampleRate, gain, noise: rms(around) };
  });
  const loudness = rms(stroke);
  const gain = median(found.map((f) => f.gain));
  const level = decibelsFromGain(Math.max(1e-9, gain * loudness));
  const noise = median(found.map((f) => f.noise));
  const middle = median(found.map((f) => f.delay));
  const agreeing = found.filter((f) => Math.abs(f.delay - middle) <= AGREES);
  if (level < QUIETEST) return { type: 'refused', why: 'quiet' };
  if (noise > NOISE_RATIO * gain * loudness) return { type: 'refused', why: 'noisy' };
  if (agreeing.length < TO_AGREE * found.length)
    return { type: 'refused', why: noise > 0.5 * gain * loudness ? 'noisy' : 'wide' };
  const delay = median(agreeing.map((f) => f.delay));
  const spread = Math.sqrt(agreeing.reduce((sum, f) => sum + (f.delay - delay) ** 2, 0) / agreeing.length);
  if (spread > WIDEST) return { type: 'refused', why: 'wide' };
  return { type: 'measured', delay, spread, level, strokes: agreeing.length };
}
