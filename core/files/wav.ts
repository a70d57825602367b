import type { Frames } from '../time/units';

/** Format in which samples are written. */
export type SampleFormat = '24-bit' | '32-bit float';

export interface WavMarker {
  readonly frame: Frames;
  readonly text: string;
}

/** Facts for the Broadcast WAV header. */
export interface WavFacts {
  readonly channels: number;
  readonly rate: number;
  readonly format: SampleFormat;
  /** Description in ASCII, at most 256 characters. */
  readonly description: string;
  /** Date and time as ISO 8601, to the second. */
  readonly at: string;
  /** Position of the first sample, in frames from bar 1. */
  readonly reference: Frames;
  readonly markers: readonly WavMarker[];
  /** iXML of the file, or empty. */
  readonly ixml?: string;
}

/** @example bytesPerSample('24-bit') // 3 */
export const bytesPerSample = (format: SampleFormat): number => (format === '24-bit' ? 3 : 4);

const text = new TextEncoder();
const ascii = (words: string, length: number): Uint8Array => {
  const out = new Uint8Array(length);
  const plain = words.normalize('NFKD').replaceAll(/[^\x20-\x7e]/g, '');
  out.set(text.encode(plain.slice(0, length)));
  return out;
};

/** Builder of little-endian bytes. */
class Writer {
  readonly #parts: Uint8Array[] = [];
  length = 0;
  add(bytes: Uint8Array): this {
    this.#parts.push(bytes);
    this.length += bytes.length;
    return this;
  }
  four(name: string): this {
    return this.add(text.encode(name));
  }
  u16(value: number): this {
    const out = new Uint8Array(2);
    new DataView(out.buffer).setUint16(0, value, true);
    return this.add(out);
  }
  u32(value: number): this {
    const out = new Uint8Array(4);
    new DataView(out.buffer).setUint32(0, value, true);
    return this.add(out);
  }
  u64(value: number): this {
    const out = new Uint8Array(8);
    new DataView(out.buffer).setBigUint64(0, BigInt(value), true);
    return this.add(out);
  }
  /** Chunk, padded to an even length. */
  chunk(name: string, body: Uint8Array): this {
    this.four(name).u32(body.length).add(body);
    return body.length % 2 ? this.add(new Uint8Array(1)) : this;
  }
  bytes(): Uint8Array {
    const out = new Uint8Array(this.length);
    let at = 0;
    for (const part of this.#parts) {
      out.set(part, at);
      at += part.length;
    }
    return out;
  }
}

/** Broadcast extension, version 1 (EBU Tech 3285). */
function bext({ description, at, reference }: WavFacts): Uint8Array {
  const out = new Writer();
  out.add(ascii(description, 256)).add(ascii('Tall Kettle', 32)).add(ascii('', 32));
  out.add(ascii(at.slice(0, 10), 10)).add(ascii(at.slice(11, 19), 8));
  // Time reference in samples, version, UMID and reserved bytes.
  return out.u64(reference).u16(1).add(new Uint8Array(64)).add(new Uint8Array(190)).bytes();
}

const WAVE_PCM = 1;
const WAVE_FLOAT = 3;

function fmt({ channels, rate, format }: WavFacts): Uint8Array {
  const size = bytesPerSample(format);
  const out = new Writer()
    .u16(format === '24-bit' ? WAVE_PCM : WAVE_FLOAT)
    .u16(channels)
    .u32(rate);
  out
    .u32(rate * channels * size)
    .u16(channels * size)
    .u16(size * 8);
  // Formats other than PCM have an extension size.
  return (format === '24-bit' ? out : out.u16(0)).bytes();
}

function cues(markers: readonly WavMarker[]): Writer {
  const out = new Writer();
  if (markers.length === 0) return out;
  const cue = new Writer().u32(markers.length);
  const labels = new Writer().four('adtl');
  markers.forEach(({ frame, text: words }, i) => {
    cue
      .u32(i + 1)
      .u32(frame)
      .four('data')
      .u32(0)
      .u32(0)
      .u32(frame);
    labels.chunk(
      'labl',
      new Writer()
        .u32(i + 1)
        .add(text.encode(words))
        .add(new Uint8Array(1))
        .bytes(),
    );
  });
  return out.chunk('cue ', cue.bytes()).chunk('LIST', labels.bytes());
}

const LONGEST_RIFF = 0xffffffff;
const DS64_BYTES = 28;

/**
 * Everything of a WAV file that stands before its samples: Broadcast WAV with cue points. It has the same length
 * whatever the number of frames, so it can be written first and once more when that is known. What is longer than
 * 4 GB becomes RF64 (EBU Tech 3306): its sizes stand where a shorter file keeps room for them.
 */
export function wavHeader(facts: WavFacts, frames: Frames): Uint8Array {
  const data = frames * facts.channels * bytesPerSample(facts.format);
  const body = new Writer().chunk('bext', bext(facts)).chunk('fmt ', fmt(facts));
  if (facts.format === '32-bit float') body.chunk('fact', new Writer().u32(Math.min(frames, LONGEST_RIFF)).bytes());
  const marks = cues(facts.markers);
  if (marks.length > 0) body.add(marks.bytes());
  if (facts.ixml) body.chunk('iXML', text.encode(facts.ixml));
  const size = 4 + 8 + DS64_BYTES + body.length + 8 + data + (data % 2);
  const long = size > LONGEST_RIFF;
  const out = new Writer()
    .four(long ? 'RF64' : 'RIFF')
    .u32(long ? LONGEST_RIFF : size)
    .four('WAVE');
  if (long) out.chunk('ds64', new Writer().u64(size).u64(data).u64(frames).u32(0).bytes());
  else out.chunk('JUNK', new Uint8Array(DS64_BYTES));
  return out
    .add(body.bytes())
    .four('data')
    .u32(long ? LONGEST_RIFF : data)
    .bytes();
}

/**
 * Samples of both sides, interleaved. Full scale is 1; values beyond it are clipped in 24 bits, and kept in float.
 * @returns number of clipped samples
 */
export function interleave(sides: readonly Float32Array[], format: SampleFormat, into: Uint8Array): number {
  const count = sides[0]!.length;
  const channels = sides.length;
  let cut = 0;
  if (format === '32-bit float') {
    const view = new DataView(into.buffer, into.byteOffset, into.byteLength);
    for (let i = 0; i < count; i += 1)
      for (let c = 0; c < channels; c += 1) view.setFloat32((i * channels + c) * 4, sides[c]![i]!, true);
    return 0;
  }
  let at = 0;
  for (let i = 0; i < count; i += 1) {
    for (let c = 0; c < channels; c += 1) {
      let value = Math.round(sides[c]![i]! * 8_388_608);
      if (value > 8_388_607 || value < -8_388_608) {
        cut += 1;
        value = value > 0 ? 8_388_607 : -8_388_608;
      }
      into[at] = value & 255;
      into[at + 1] = (value >> 8) & 255;
      into[at + 2] = (value >> 16) & 255;
      at += 3;
    }
  }
  return cut;
}

/** Adds interleaved samples to those of each side: the inverse of `interleave`. */
export function addSamples(bytes: Uint8Array, format: SampleFormat, sides: readonly Float32Array[]): void {
  const channels = sides.length;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const size = bytesPerSample(format);
  const count = Math.floor(bytes.length / (size * channels));
  for (let i = 0; i < count; i += 1)
    for (let c = 0; c < channels; c += 1) {
      const at = (i * channels + c) * size;
      sides[c]![i]! +=
        format === '32-bit float'
          ? view.getFloat32(at, true)
          : (view.getInt8(at + 2) * 65_536 + view.getUint16(at, true)) / 8_388_608;
    }
}
