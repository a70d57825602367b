import { SoundBankLoader, type BasicPreset, type BasicSample } from 'spessasynth_core';
import type { Frames } from '../../core/time/units';

/** Bank without its sound. */
export interface BankParts {
  /** Bank file without sound data. */
  readonly outline: ArrayBuffer;
  /** Number of frames of each sample. */
  readonly lengths: readonly Frames[];
}
/** Sound of a bank's sample, complete or its beginning. */
export interface SampleSound {
  readonly sample: number;
  readonly sound: Float32Array;
}

/**
 * Bank of one preset, loaded as notes need it. A sample is first its beginning, which sounds while the rest is loaded;
 * then the rest is written into it.
 */
export class FurtherBank {
  readonly preset: BasicPreset;
  readonly #lengths: readonly Frames[];
  readonly #samples: readonly BasicSample[];
  readonly #indices: ReadonlyMap<BasicSample, number>;
  readonly #heads: (Float32Array | undefined)[] = [];
  /** Sound of each requested sample, and whether it is complete. */
  readonly #sounds: (Float32Array | undefined)[] = [];
  readonly #whole: boolean[] = [];
  /** Samples of each requested note, by key · 128 + velocity. */
  readonly #notes = new Map<number, readonly number[]>();
  /** Samples that are loaded, at least their beginnings. */
  readonly #begun = new Set<number>();

  /**
   * @param place its number among the banks, from 1, as the library caches voices by a preset's numbers
   * @throws Error for an invalid outline, or one without a preset
   */
  constructor(parts: BankParts, place: number) {
    const bank = SoundBankLoader.fromArrayBuffer(parts.outline);
    const [preset] = bank.presets;
    if (!preset) throw new Error('The bank has no sound in it.');
    preset.bankMSB = 0;
    preset.bankLSB = place;
    this.preset = preset;
    this.#lengths = parts.lengths;
    this.#samples = bank.samples;
    this.#indices = new Map(bank.samples.map((sample, i) => [sample, i]));
  }

  /** Samples that a note needs for the first time. They start from their beginnings. */
  want(key: number, velocity: number): number[] {
    const note = key * 128 + velocity;
    if (this.#notes.has(note)) return [];
    const own = this.preset.getVoiceParameters(key, velocity).map(({ sample }) => this.#indices.get(sample)!);
    this.#notes.set(note, own);
    const wanted: number[] = [];
    for (const index of own) {
      if (this.#sounds[index]) continue;
      const sound = new Float32Array(Math.max(1, this.#lengths[index]!));
      this.#sounds[index] = sound;
      this.#samples[index]!.setAudioData(sound, this.#samples[index]!.sampleRate);
      this.#fill(index, this.#heads[index]);
      this.#heads[index] = undefined;
      wanted.push(index);
    }
    return wanted;
  }

  #fill(index: number, sound: Float32Array | undefined): void {
    const whole = this.#sounds[index];
    if (whole && sound) whole.set(sound.subarray(0, whole.length));
  }

  /** Test for a note whose samples have their beginnings. */
  hasBegun(key: number, velocity: number): boolean {
    return this.#notes.get(key * 128 + velocity)?.every((i) => this.#begun.has(i)) ?? false;
  }

  /** Takes the beginning of a sample. */
  begin({ sample, sound }: SampleSound): void {
    this.#begun.add(sample);
    if (this.#whole[sample]) return;
    if (this.#sounds[sample]) this.#fill(sample, sound);
    else this.#heads[sample] = sound;
  }

  /** Takes a complete sample. */
  give({ sample, sound }: SampleSound): void {
    this.#whole[sample] = true;
    this.#begun.add(sample);
    this.#fill(sample, sound);
  }

  /** Bytes of sound in memory. */
  get size(): number {
    return [...this.#sounds, ...this.#heads].reduce((sum, sound) => sum + (sound?.byteLength ?? 0), 0);
  }
}
