import { StbVorbis } from 'stb-vorbis';
import type { Frames } from '../../core/time/units';
import type { BankParts, SampleSound } from '../instrument/furtherBank';
import { vorbisHead, vorbisLength } from './oggPages';

/** A file that is no bank, or not a whole one. */
export class BankUnreadable extends Error {}

/** Chunk of a RIFF file: its name, and where its contents lie. */
interface Chunk {
  readonly name: string;
  readonly from: number;
  readonly length: number;
}

/** A sample's record in a bank: its name, four places, its rate, its key and what it is linked to. */
const RECORD = 46;
const START = 20;
const END = 24;
const KIND = 44;
/** Bit of a sample's kind that says that it is Ogg Vorbis. */
const COMPRESSED = 0x10;
const FULL_SCALE = 32_768;

interface StoredSample {
  readonly bytes: Uint8Array;
  readonly compressed: boolean;
}

/**
 * A bank's file, SF2 or SF3: what it consists of, apart from its sound, and the sound of one sample at a time. Whatever
 * plays it has its outline, and asks for the sound that it needs. Source: SoundFont 2.04, sections 4 to 7.
 */
export class BankFile {
  readonly #bytes: Uint8Array;
  readonly #smpl: Chunk;
  readonly #stored: readonly StoredSample[];

  /** @throws BankUnreadable */
  static async read(bytes: Uint8Array): Promise<BankFile> {
    await StbVorbis.ready;
    return new BankFile(bytes);
  }

  private constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
    const lists = this.#chunks(12, bytes.length).filter(({ name }) => name === 'LIST');
    const inside = lists.flatMap(({ from, length }) => this.#chunks(from + 4, from + length));
    const sound = inside.find(({ name }) => name === 'smpl');
    const records = inside.find(({ name }) => name === 'shdr');
    if (this.#name(0) !== 'RIFF' || this.#name(8) !== 'sfbk' || !sound || !records)
      throw new BankUnreadable('It is not a sound bank.');
    this.#smpl = sound;
    const view = new DataView(bytes.buffer, bytes.byteOffset + records.from, records.length);
    // The last record only ends the list.
    this.#stored = Array.from({ length: Math.max(0, Math.floor(records.length / RECORD) - 1) }, (_, i) => {
      const place = (field: number) => view.getUint32(i * RECORD + field, true);
      const compressed = (view.getUint16(i * RECORD + KIND, true) & COMPRESSED) > 0;
      const [from, to] = [START, END].map((field) => sound.from + place(field) * (compressed ? 1 : 2)) as [
        number,
        number,
      ];
      return { bytes: bytes.subarray(from, to), compressed };
    });
  }

  #name(at: number): string {
    return String.fromCharCode(...this.#bytes.subarray(at, at + 4));
  }

  #chunks(from: number, to: number): Chunk[] {
    const view = new DataView(this.#bytes.buffer, this.#bytes.byteOffset, this.#bytes.byteLength);
    const found: Chunk[] = [];
    for (let at = from; at + 8 <= to;) {
      const length = view.getUint32(at + 4, true);
      if (at + 8 + length > to) throw new BankUnreadable('It ends too early: some of it is missing.');
      found.push({ name: this.#name(at), from: at + 8, length });
      at += 8 + length + (length % 2);
    }
    return found;
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
    const { from, length } = this.#smpl;
    const padded = length + (length % 2);
    const out = new Uint8Array(this.#bytes.length - padded);
    out.set(this.#bytes.subarray(0, from));
    out.set(this.#bytes.subarray(from + padded), from);
    const view = new DataView(out.buffer);
    view.setUint32(4, out.length - 8, true);
    view.setUint32(from - 4, 0, true);
    // The list that the sound lies in is as much shorter.
    const list = this.#chunks(12, this.#bytes.length).find((c) => c.from < from && c.from + c.length >= from + length)!;
    view.setUint32(list.from - 4, list.length - padded, true);
    return out.buffer;
  }

  /** Sounds of samples, or so much of their beginnings; nothing where one cannot be decoded. */
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
