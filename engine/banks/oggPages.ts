import type { Frames } from '../../core/time/units';

/** Header of a page, up to the table of its segments' lengths. Source: RFC 3533, section 6. */
const HEADER = 27;
const GRANULE = 6;
const SEGMENTS = 26;

interface Page {
  /** Offset of the byte behind it. */
  readonly end: number;
  /** Frames of the stream that are whole when it is read. */
  readonly frames: Frames;
}

function* pagesOf(bytes: Uint8Array): Generator<Page> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let at = 0;
  while (at + HEADER <= bytes.length && view.getUint32(at) === 0x4f676753) {
    const segments = bytes[at + SEGMENTS]!;
    let end = at + HEADER + segments;
    for (let i = 0; i < segments; i += 1) end += bytes[at + HEADER + i] ?? 0;
    yield { end, frames: Number(view.getBigInt64(at + GRANULE, true)) };
    at = end;
  }
}

/** Length of a stream of Ogg Vorbis; 0 for what is none. */
export function vorbisLength(bytes: Uint8Array): Frames {
  let length = 0;
  for (const { frames } of pagesOf(bytes)) length = Math.max(length, frames);
  return length;
}

/** The beginning of a stream, with at least so many frames where it has them. */
export function vorbisHead(bytes: Uint8Array, least: Frames): Uint8Array {
  for (const { end, frames } of pagesOf(bytes)) if (frames >= least) return bytes.subarray(0, end);
  return bytes;
}
