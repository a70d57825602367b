import { SoundBankLoader, type BasicPreset, type BasicSample } from 'spessasynth_core';
import type { Frames } from '../../core/time/units';

/** A bank without its sound. */
export interface BankParts {
  /** The bank's file with no sound in it. */
  readonly outline: ArrayBuffer;
  /** Number of frames of each sample. */
  readonly lengths: readonly Frames[];
}
/** Sound of a bank's sample, all of it or its beginning. */
export interface SampleSound {
  readonly sample: number;
  readonly sound: Float32Array;
}

/**
 * A bank of one preset, of which only that has its sound here which has been needed. A sample is its beginning, which
 * sounds while the rest is on its way, until a note wants it; then it is a whole one, into which the rest is written.
 */
export class FurtherBank {
  readonly preset: BasicPreset;
  readonly #lengths: readonly Frames[];
  readonly #samples: readonly BasicSample[];
  readonly #indices: ReadonlyMap<BasicSample, number>;
  readonly #heads: (Float32Array | undefined)[] = [];
  /** Sound of each sample that has been wanted, and whether it is all there. */
  readonly #sounds: (Float32Array | undefined)[] = [];
  readonly #whole: boolean[] = [];
  /** Samples of each note that has been wanted, by its key · 128 + velocity. */
  readonly #notes = new Map<number, readonly number[]>();
  /** Samples that are here, all of them or their beginnings. */
  readonly #begun = new Set<number>();

  /**
   * @param place its number among the banks, from 1: the library remembers voices by a preset's numbers
   * @throws Error when the outline is no bank, or has no preset
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

  /** Samples that a note needs and that have not been wanted before; they begin with their heads from now on. */
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

  /** Test for a note that was wanted and whose beginning is here. */
  hasBegun(key: number, velocity: number): boolean {
    return this.#notes.get(key * 128 + velocity)?.every((i) => this.#begun.has(i)) ?? false;
  }

  /** Takes how a sample begins. */
  begin({ sample, sound }: SampleSound): void {
    this.#begun.add(sample);
    if (this.#whole[sample]) return;
    if (this.#sounds[sample]) this.#fill(sample, sound);
    else this.#heads[sample] = sound;
  }

  /** Takes the whole of a sample that was wanted. */
  give({ sample, sound }: SampleSound): void {
    this.#whole[sample] = true;
    this.#begun.add(sample);
    this.#fill(sample, sound);
  }

  /** Bytes of sound that are held. */
  get size(): number {
    return [...this.#sounds, ...this.#heads].reduce((sum, sound) => sum + (sound?.byteLength ?? 0), 0);
  }
}
