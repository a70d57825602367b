import type { Frames } from '../../core/time/units';

/** Header of a page, up to its segment table. Source: RFC 3533, section 6. */
const HEADER = 27;
const GRANULE = 6;
const SEGMENTS = 26;

interface Page {
  /** Offset of the byte after it. */
  readonly end: number;
  /** Number of frames that are complete at its end. */
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

/** Length of an Ogg Vorbis stream; 0 for other bytes. */
export function vorbisLength(bytes: Uint8Array): Frames {
  let length = 0;
  for (const { frames } of pagesOf(bytes)) length = Math.max(length, frames);
  return length;
}

/** Beginning of a stream, with at least some number of frames where it has them. */
export function vorbisHead(bytes: Uint8Array, least: Frames): Uint8Array {
  for (const { end, frames } of pagesOf(bytes)) if (frames >= least) return bytes.subarray(0, end);
  return bytes;
}
