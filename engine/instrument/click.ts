import { seeded } from '../../core/random';
import type { ClickSound } from '../../core/document/click';
import type { Frames } from '../../core/time/units';
import type { ClickStroke } from './schedule';

const LEVEL: Readonly<Record<ClickStroke, number>> = { bar: 0.8, group: 0.6, beat: 0.5, sub: 0.22 };
/** Frequency ratio of a click to that of a plain beat. */
const HIGHER: Readonly<Record<ClickStroke, number>> = { bar: 1.6, group: 1.2, beat: 1, sub: 1 };
const LENGTH = 0.045;

/** Sample of a sound at `t` seconds, `up` times higher than the plain beat's. Sounds begin at their peak. */
const SOUNDS: Readonly<Record<ClickSound, (t: number, up: number, noise: number) => number>> = {
  tone: (t, up) => Math.cos(2 * Math.PI * 1100 * up * t) * Math.exp(-t / 0.009),
  // A wood block rings in two inharmonic tones.
  wood: (t, up) =>
    (0.65 * Math.cos(2 * Math.PI * 820 * up * t) + 0.35 * Math.cos(2 * Math.PI * 1930 * up * t)) * Math.exp(-t / 0.014),
  // A stick on a rim has hardly any tone.
  tick: (t, up, noise) =>
    (0.6 * Math.cos(2 * Math.PI * 2900 * up * t) + 0.4 * (t === 0 ? 1 : noise)) * Math.exp(-t / 0.004),
};

/** Click as samples: its first sample is its peak, and it decays within about 40 ms. */
export function clickSamples(sound: ClickSound, stroke: ClickStroke, sampleRate: number): Float32Array {
  const random = seeded(7);
  const samples = new Float32Array(Math.round(LENGTH * sampleRate));
  for (let i = 0; i < samples.length; i += 1) {
    const fade = 1 - i / samples.length;
    samples[i] = LEVEL[stroke] * SOUNDS[sound](i / sampleRate, HIGHER[stroke], 2 * random.unit() - 1) * fade;
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
  readonly #rate: number;
  #samples: Readonly<Record<ClickStroke, Float32Array>>;

  constructor(sampleRate: number) {
    this.#rate = sampleRate;
    this.#samples = this.#made('tone');
  }

  #made(sound: ClickSound): Readonly<Record<ClickStroke, Float32Array>> {
    const of = (stroke: ClickStroke) => clickSamples(sound, stroke, this.#rate);
    return { bar: of('bar'), group: of('group'), beat: of('beat'), sub: of('sub') };
  }

  setSound(sound: ClickSound): void {
    this.#samples = this.#made(sound);
  }

  start(stroke: ClickStroke): void {
    this.#sounding.push({ samples: this.#samples[stroke], next: 0 });
  }

  /** Adds the sounding clicks to both sides, from `start` for `count` samples. */
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
