import FFT from 'fft.js';
import type { Frames, Seconds } from '../time/units';

/** Length of a frame, about 23 ms at the analysis rate. */
const WINDOW = 512;
const HOP = 160;
/** Silence before the file, so that a stroke on its first sample is an onset. */
const BEFORE: Frames = 2048;
/** Number of bands, about a third of an octave each. */
const BANDS = 36;
const LOWEST_HZ = 30;
const HIGHEST_HZ = 10_000;
/** Lowest bands, with kick and bass. */
const LOW_HZ = 160;
/** Harmony is read at half the rate, in a window that separates neighbouring low keys. */
const LONG = 2048;
const LONG_HOP = 1024;
const KEYS_FROM = 40;
const KEYS = 44;
/** Compression of quiet sounds: log(1 + GAIN · magnitude). */
const GAIN = 200;

/** Features in which beats are found. Envelopes have `rate` values a second. */
export interface Spectrum {
  readonly rate: number;
  /** Time of the first value. */
  readonly start: Seconds;
  readonly length: Seconds;
  /** Onset strength over all bands, in standard deviations above its surroundings; 0 below. */
  readonly strength: Float32Array;
  /** Onset strength under 160 Hz. */
  readonly low: Float32Array;
  /** Onset strength over 1.5 kHz. */
  readonly high: Float32Array;
  /** Loudness of 44 keys from E2 up, `chordRate` times a second, one moment after another. */
  readonly chord: Float32Array;
  readonly chordRate: number;
  readonly keys: number;
}

/** Mono mix at about `wanted` samples a second, by averaging, which suffices for beats. */
export function mixDown(
  channels: readonly Float32Array[],
  sampleRate: number,
  wanted = 22_050,
): { samples: Float32Array; rate: number } {
  const by = Math.max(1, Math.round(sampleRate / wanted));
  const frames: Frames = Math.floor((channels[0]?.length ?? 0) / by);
  const samples = new Float32Array(frames);
  const scale = 1 / (by * channels.length);
  for (const channel of channels) {
    let at = 0;
    for (let i = 0; i < frames; i += 1) {
      let sum = 0;
      for (const end = at + by; at < end; at += 1) sum += channel[at]!;
      samples[i] = samples[i]! + sum * scale;
    }
  }
  return { samples, rate: sampleRate / by };
}

const hann = (size: number): Float32Array =>
  Float32Array.from({ length: size }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size));

function bandEdges(rate: number): Int32Array {
  const top = Math.min(HIGHEST_HZ, rate / 2);
  const edges = new Int32Array(BANDS + 1);
  for (let b = 0; b <= BANDS; b += 1) {
    const hz = LOWEST_HZ * (top / LOWEST_HZ) ** (b / BANDS);
    const bin = Math.round((hz * WINDOW) / rate);
    edges[b] = b === 0 ? Math.max(1, bin) : Math.max(edges[b - 1]! + 1, bin);
  }
  return edges;
}

/** Subtracts the mean within half a second on either side, and scales by the overall standard deviation. */
function standOut(flux: Float32Array, rate: number): Float32Array {
  const half = Math.round(rate / 2);
  const out = new Float32Array(flux.length);
  let sum = 0;
  let energy = 0;
  for (let i = 0; i < Math.min(half, flux.length); i += 1) sum += flux[i]!;
  for (let i = 0; i < flux.length; i += 1) {
    if (i + half < flux.length) sum += flux[i + half]!;
    if (i - half - 1 >= 0) sum -= flux[i - half - 1]!;
    const count = Math.min(flux.length, i + half + 1) - Math.max(0, i - half);
    const over = Math.max(0, flux[i]! - sum / count);
    out[i] = over;
    energy += over * over;
  }
  const spread = Math.sqrt(energy / Math.max(1, flux.length)) || 1;
  for (let i = 0; i < out.length; i += 1) out[i]! /= spread;
  return out;
}

/**
 * Onset envelopes by spectral flux of log-compressed bands, each band against the loudest of its neighbours a little
 * earlier, so that vibrato is not an onset (S. Böck and G. Widmer, "Maximum filter vibrato suppression for onset
 * detection", DAFx 2013).
 */
export const spectrumOf = (channels: readonly Float32Array[], sampleRate: number): Spectrum =>
  spectrumOfMix(mixDown(channels, sampleRate));

/** Number of frames between calls about the progress. */
const TOLD_EVERY = 4096;

/** Features of sound that has been mixed down. @param told called with the progress, 0 to 1 */
export function spectrumOfMix(
  { samples, rate: audioRate }: { readonly samples: Float32Array; readonly rate: number },
  told: (done: number) => void = () => {},
): Spectrum {
  const rate = audioRate / HOP;
  const frames = Math.max(0, Math.floor((samples.length + BEFORE - WINDOW) / HOP) + 1);
  const fft = new FFT(WINDOW);
  const window = hann(WINDOW);
  const edges = bandEdges(audioRate);
  const input = new Array<number>(WINDOW).fill(0);
  const output = fft.createComplexArray() as number[];
  /** Number of frames between two that are compared, long enough for an onset to be complete. */
  const lag = 3;
  const past = Array.from({ length: lag }, () => new Float32Array(BANDS));
  const now = new Float32Array(BANDS);
  const flux = new Float32Array(frames);
  const low = new Float32Array(frames);
  const high = new Float32Array(frames);
  const hertz = (bin: number): number => (bin * audioRate) / WINDOW;
  const scale = 2 / WINDOW;
  for (let f = 0; f < frames; f += 1) {
    if (f % TOLD_EVERY === 0) told(f / frames);
    const from = f * HOP - BEFORE;
    if (from >= 0) for (let i = 0; i < WINDOW; i += 1) input[i] = samples[from + i]! * window[i]!;
    else for (let i = 0; i < WINDOW; i += 1) input[i] = (samples[from + i] ?? 0) * window[i]!;
    fft.realTransform(output, input);
    for (let b = 0; b < BANDS; b += 1) {
      let power = 0;
      for (let k = edges[b]!; k < edges[b + 1]! && k <= WINDOW / 2; k += 1)
        power += output[2 * k]! ** 2 + output[2 * k + 1]! ** 2;
      now[b] = Math.log1p(GAIN * scale * Math.sqrt(power));
    }
    const before = past[f % lag]!;
    for (let b = 0; b < BANDS; b += 1) {
      const usual = Math.max(before[b]!, before[Math.max(0, b - 1)]!, before[Math.min(BANDS - 1, b + 1)]!);
      const rise = f < lag ? 0 : now[b]! - usual;
      if (rise <= 0) continue;
      flux[f]! += rise;
      const hz = hertz(edges[b]!);
      if (hz < LOW_HZ) low[f]! += rise;
      else if (hz > 1500) high[f]! += rise;
    }
    before.set(now);
  }
  return {
    rate,
    start: (WINDOW / 2 - BEFORE) / audioRate,
    length: samples.length / audioRate,
    strength: standOut(flux, rate),
    low: standOut(low, rate),
    high: standOut(high, rate),
    ...chordsOf(mixDown([samples], 2, 1).samples, audioRate / 2),
  };
}

/** Loudness of each key over time. */
function chordsOf(samples: Float32Array, rate: number): Pick<Spectrum, 'chord' | 'chordRate' | 'keys'> {
  const fft = new FFT(LONG);
  const window = hann(LONG);
  const input = new Array<number>(LONG).fill(0);
  const output = fft.createComplexArray() as number[];
  const moments = Math.max(0, Math.floor(samples.length / LONG_HOP));
  const chord = new Float32Array(moments * KEYS);
  const edges = Array.from({ length: KEYS + 1 }, (_, k) =>
    Math.max(1, Math.round((440 * 2 ** ((KEYS_FROM + k - 0.5 - 69) / 12) * LONG) / rate)),
  );
  for (let m = 0; m < moments; m += 1) {
    const from = m * LONG_HOP - LONG / 2;
    for (let i = 0; i < LONG; i += 1) input[i] = (samples[from + i] ?? 0) * window[i]!;
    fft.realTransform(output, input);
    for (let k = 0; k < KEYS; k += 1) {
      let most = 0;
      for (let bin = edges[k]!; bin < Math.max(edges[k]! + 1, edges[k + 1]!); bin += 1)
        most = Math.max(most, output[2 * bin]! ** 2 + output[2 * bin + 1]! ** 2);
      chord[m * KEYS + k] = Math.log1p(GAIN * (2 / LONG) * Math.sqrt(most));
    }
  }
  return { chord, chordRate: rate / LONG_HOP, keys: KEYS };
}
