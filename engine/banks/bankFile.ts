import { StbVorbis } from 'stb-vorbis';
import { bytesHere, readTables, type BankTables } from '../../core/files/soundBank';
import type { Frames } from '../../core/time/units';
import type { BankParts, SampleSound } from '../instrument/furtherBank';
import { vorbisHead, vorbisLength } from './oggPages';

const FULL_SCALE = 32_768;

interface StoredSample {
  readonly bytes: Uint8Array;
  readonly compressed: boolean;
}

/**
 * Bank file, SF2 or SF3: an outline without sound, and the samples one by one. A player has the outline, and requests
 * the samples that it needs.
 */
export class BankFile {
  readonly #bytes: Uint8Array;
  readonly #tables: BankTables;
  readonly #stored: readonly StoredSample[];

  /** @throws DamagedFile when it is no bank, or not a whole one */
  static async read(bytes: Uint8Array): Promise<BankFile> {
    await StbVorbis.ready;
    return new BankFile(bytes, await readTables(bytesHere(bytes)));
  }

  private constructor(bytes: Uint8Array, tables: BankTables) {
    this.#bytes = bytes;
    this.#tables = tables;
    const sound = bytes.subarray(tables.sound.from);
    this.#stored = tables.samples.map(({ from, to, compressed }) => ({ bytes: sound.subarray(from, to), compressed }));
  }

  /** Number of its samples. */
  get count(): number {
    return this.#stored.length;
  }

  parts(): BankParts {
    const lengths = this.#stored.map(({ bytes, compressed }) => (compressed ? vorbisLength(bytes) : bytes.length >> 1));
    return { outline: this.#outline(), lengths };
  }

  #outline(): ArrayBuffer {
    const {
      sound: { from, length },
      around,
    } = this.#tables;
    const padded = length + (length % 2);
    const out = new Uint8Array(this.#bytes.length - padded);
    out.set(this.#bytes.subarray(0, from));
    out.set(this.#bytes.subarray(from + padded), from);
    const view = new DataView(out.buffer);
    view.setUint32(4, out.length - 8, true);
    view.setUint32(from - 4, 0, true);
    // The list chunk is shortened by the sound data.
    view.setUint32(around.from - 4, around.length - padded, true);
    return out.buffer;
  }

  /** Decoded samples, or their beginnings; those that cannot be decoded are left out. */
  sounds(samples: readonly number[], most: Frames = Infinity): SampleSound[] {
    return samples.map((sample) => ({ sample, sound: this.#sound(sample, most) }));
  }

  #sound(index: number, most: Frames): Float32Array {
    const { bytes, compressed } = this.#stored[index]!;
    if (!compressed) {
      const frames = Math.min(most, bytes.length >> 1);
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      return Float32Array.from({ length: frames }, (_, i) => view.getInt16(2 * i, true) / FULL_SCALE);
    }
    const [samples] = StbVorbis.decode(vorbisHead(bytes, most)).channels;
    return (samples ?? new Float32Array()).slice(0, most);
  }
}
