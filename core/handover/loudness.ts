import { decibelsFromGain, type Decibels } from '../time/units';

/** Levels of a file by ITU-R BS.1770-5. */
export interface Levels {
  /** Sample peak in dBFS; -Infinity for silence. */
  readonly peak: Decibels;
  /** True peak, between samples, in dBTP. */
  readonly truePeak: Decibels;
  /** Integrated loudness in LUFS; -Infinity where no block exceeds the gate. */
  readonly loudness: number;
}

/** Biquad filter: b0, b1, b2, a1, a2. */
type Biquad = readonly [number, number, number, number, number];

/**
 * K-weighting at any rate: the standard gives its two filters at 48 kHz; these are the analogue ones they come from
 * (centre 1681.97 Hz, Q 0.7072, +4 dB; 38.14 Hz, Q 0.5003), brought to the rate by the bilinear transform.
 */
function weighting(rate: number): readonly [Biquad, Biquad] {
  const shelf = (): Biquad => {
    const k = Math.tan((Math.PI * 1681.974450955533) / rate);
    const q = 0.7071752369554196;
    const high = 10 ** (3.999843853973347 / 20);
    const band = high ** 0.4996667741545416;
    const a0 = 1 + k / q + k * k;
    return [
      (high + (band * k) / q + k * k) / a0,
      (2 * (k * k - high)) / a0,
      (high - (band * k) / q + k * k) / a0,
      (2 * (k * k - 1)) / a0,
      (1 - k / q + k * k) / a0,
    ];
  };
  const pass = (): Biquad => {
    const k = Math.tan((Math.PI * 38.13547087602444) / rate);
    const q = 0.5003270373238773;
    const a0 = 1 + k / q + k * k;
    return [1, -2, 1, (2 * (k * k - 1)) / a0, (1 - k / q + k * k) / a0];
  };
  return [shelf(), pass()];
}

/** Interpolation by four with a windowed sinc of twelve taps a phase. */
const PHASES = 4;
const TAPS = 12;
const INTERPOLATOR = Array.from({ length: PHASES }, (_, phase) => {
  const taps = Array.from({ length: TAPS }, (_, i) => {
    const t = i - (TAPS / 2 - 1) - phase / PHASES;
    const sinc = t === 0 ? 1 : Math.sin(Math.PI * t) / (Math.PI * t);
    // A Kaiser window would be a little flatter; this one is within 0.1 dB up to a quarter of the rate.
    const window = 0.5 + 0.5 * Math.cos((Math.PI * t) / (TAPS / 2));
    return sinc * Math.max(0, window);
  });
  const sum = taps.reduce((s, v) => s + v, 0);
  return Float64Array.from(taps, (v) => v / sum);
});

/** Blocks of 400 ms begin every 100 ms. */
const BLOCKS_IN_WINDOW = 4;
const ABSOLUTE_GATE = -70;
const RELATIVE_GATE = -10;
const decibels = (power: number): number => -0.691 + 10 * Math.log10(power);

/** State of a channel between pieces. */
interface Channel {
  /** State of both filters, in transposed direct form 2. */
  readonly state: Float64Array;
  /** Last samples, followed by those of the piece. */
  recent: Float64Array;
}

/** Meter of loudness and peaks, fed piece by piece; its memory grows by eighty bytes a second. */
export class LoudnessMeter {
  readonly #weighting: readonly [Biquad, Biquad];
  readonly #channels: Channel[];
  readonly #step: number;
  #filled = 0;
  #sum = 0;
  readonly #steps: number[] = [];
  #peak = 0;
  #truePeak = 0;

  constructor(rate: number, channels: number) {
    this.#weighting = weighting(rate);
    this.#channels = Array.from({ length: channels }, () => ({
      state: new Float64Array(4),
      recent: new Float64Array(TAPS),
    }));
    this.#step = Math.round(rate / 10);
  }

  /** @param sides samples of each channel, all of one length */
  add(sides: readonly Float32Array[]): void {
    const count = sides[0]!.length;
    for (let from = 0; from < count;) {
      const to = Math.min(count, from + this.#step - this.#filled);
      sides.forEach((side, c) => {
        this.#sum += this.#power(this.#channels[c]!, side, from, to);
      });
      this.#filled += to - from;
      from = to;
      if (this.#filled < this.#step) continue;
      this.#steps.push(this.#sum / this.#step);
      this.#filled = 0;
      this.#sum = 0;
    }
    sides.forEach((side, c) => this.#reach(this.#channels[c]!, side));
  }

  /** Sum of the weighted power of some samples. It uses local numbers, as it takes most of the time of a bounce. */
  #power({ state }: Channel, side: Float32Array, from: number, to: number): number {
    const [[b0, b1, b2, a1, a2], [c0, c1, c2, d1, d2]] = this.#weighting;
    let [z1, z2, y1, y2] = [state[0]!, state[1]!, state[2]!, state[3]!];
    let sum = 0;
    for (let i = from; i < to; i += 1) {
      const x = side[i]!;
      const u = b0 * x + z1;
      z1 = b1 * x - a1 * u + z2;
      z2 = b2 * x - a2 * u;
      const y = c0 * u + y1;
      y1 = c1 * u - d1 * y + y2;
      y2 = c2 * u - d2 * y;
      sum += y * y;
    }
    state.set([z1, z2, y1, y2]);
    return sum;
  }

  /** Sample peak and true peak. */
  #reach(channel: Channel, side: Float32Array): void {
    const count = side.length;
    const all = new Float64Array(TAPS + count);
    all.set(channel.recent.subarray(channel.recent.length - TAPS));
    all.set(side, TAPS);
    channel.recent = all;
    let [peak, truePeak] = [this.#peak, this.#truePeak];
    for (let i = TAPS; i < TAPS + count; i += 1) {
      const size = Math.abs(all[i]!);
      if (size > peak) peak = size;
      // Between two small samples there is no new peak.
      const middle = i - TAPS / 2;
      if (Math.abs(all[middle]!) * 2 < truePeak && Math.abs(all[middle + 1]!) * 2 < truePeak) continue;
      for (const taps of INTERPOLATOR) {
        let value = 0;
        for (let k = 0; k < TAPS; k += 1) value += taps[k]! * all[i - k]!;
        const reached = Math.abs(value);
        if (reached > truePeak) truePeak = reached;
      }
    }
    this.#peak = peak;
    this.#truePeak = truePeak;
  }

  levels(): Levels {
    // The interpolator lags by six samples.
    this.add(this.#channels.map(() => new Float32Array(TAPS)));
    const blocks: number[] = [];
    for (let i = BLOCKS_IN_WINDOW; i <= this.#steps.length; i += 1)
      blocks.push(this.#steps.slice(i - BLOCKS_IN_WINDOW, i).reduce((s, v) => s + v, 0) / BLOCKS_IN_WINDOW);
    const mean = (all: readonly number[]) => all.reduce((s, v) => s + v, 0) / all.length;
    const loud = blocks.filter((b) => decibels(b) > ABSOLUTE_GATE);
    const gate = decibels(mean(loud)) + RELATIVE_GATE;
    const counted = loud.filter((b) => decibels(b) > gate);
    return {
      peak: decibelsFromGain(this.#peak),
      truePeak: decibelsFromGain(Math.max(this.#peak, this.#truePeak)),
      loudness: counted.length > 0 ? decibels(mean(counted)) : -Infinity,
    };
  }
}
