import type { Accent } from '../../core/time/meter';
import type { Frames } from '../../core/time/units';

const PITCH: Readonly<Record<Accent, number>> = { bar: 1760, group: 1320, beat: 1100 };
const LEVEL: Readonly<Record<Accent, number>> = { bar: 0.8, group: 0.6, beat: 0.5 };
const LENGTH = 0.045;
const DECAY = 0.009;

/** The click as samples: a cosine, so that its first sample is its loudest, dying away in some 40 ms. */
export function clickSamples(accent: Accent, sampleRate: number): Float32Array {
  const samples = new Float32Array(Math.round(LENGTH * sampleRate));
  for (let i = 0; i < samples.length; i += 1) {
    const t = i / sampleRate;
    const fade = 1 - i / samples.length;
    samples[i] = LEVEL[accent] * Math.cos(2 * Math.PI * PITCH[accent] * t) * Math.exp(-t / DECAY) * fade;
  }
  return samples;
}

interface Sounding {
  readonly samples: Float32Array;
  next: Frames;
}

/** Plays clicks that begin at exact frames. */
export class Clicker {
  #sounding: Sounding[] = [];
  readonly #samples: Readonly<Record<Accent, Float32Array>>;

  constructor(sampleRate: number) {
    const of = (accent: Accent) => clickSamples(accent, sampleRate);
    this.#samples = { bar: of('bar'), group: of('group'), beat: of('beat') };
  }

  strike(accent: Accent): void {
    this.#sounding.push({ samples: this.#samples[accent], next: 0 });
  }

  /** Adds what sounds to both sides, from `start` for `count` samples. */
  render(left: Float32Array, right: Float32Array, start: Frames, count: Frames, gain: number): void {
    for (const click of this.#sounding) {
      const length = Math.min(count, click.samples.length - click.next);
      for (let i = 0; i < length; i += 1) {
        const sample = click.samples[click.next + i]! * gain;
        left[start + i]! += sample;
        right[start + i]! += sample;
      }
      click.next += length;
    }
    if (this.#sounding.length) this.#sounding = this.#sounding.filter((c) => c.next < c.samples.length);
  }
}
