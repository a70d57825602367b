import { openSync, readSync, closeSync, writeSync } from 'node:fs';
import Flac from 'libflacjs/dist/libflac.js';
import type { Frames } from '../../core/time/units';

const LEVEL = 5;
const PIECE = 4096;
/** Offset of STREAMINFO: behind "fLaC" and a block's head. */
const STREAMINFO = 8;

let ready: Promise<void> | undefined;
const isReady = (): Promise<void> =>
  (ready ??= new Promise((done) => {
    if (Flac.isReady()) done();
    else Flac.on('ready', () => done());
  }));

/**
 * Writes 24-bit samples as FLAC, piece by piece.
 * @param from a file of interleaved little-endian samples
 * @param skip bytes before them
 */
export async function writeFlac(
  from: string,
  skip: number,
  to: string,
  { channels, rate, frames }: { readonly channels: number; readonly rate: number; readonly frames: Frames },
): Promise<void> {
  await isReady();
  const encoder = Flac.create_libflac_encoder(rate, channels, 24, LEVEL, frames, false, 0);
  if (!encoder) throw new Error('The FLAC encoder could not be set up.');
  const [source, target] = [openSync(from, 'r'), openSync(to, 'w')];
  try {
    let written = 0;
    let sum: string | undefined;
    const write = (bytes: Uint8Array): void => {
      written += writeSync(target, bytes, 0, bytes.length, written);
    };
    const began = Flac.init_encoder_stream(encoder, write, (facts) => {
      sum = facts?.md5sum;
    });
    if (began !== 0) throw new Error(`The FLAC encoder could not begin (${began}).`);
    const bytes = new Uint8Array(PIECE * channels * 3);
    for (let done = 0; done < frames; done += PIECE) {
      const count = Math.min(PIECE, frames - done) * channels;
      readSync(source, bytes, 0, count * 3, skip + done * channels * 3);
      const samples = new Int32Array(count);
      for (let i = 0; i < count; i += 1)
        samples[i] = bytes[i * 3]! | (bytes[i * 3 + 1]! << 8) | ((bytes[i * 3 + 2]! << 24) >> 8);
      if (!Flac.FLAC__stream_encoder_process_interleaved(encoder, samples, count / channels))
        throw new Error('The FLAC encoder broke off.');
    }
    if (!Flac.FLAC__stream_encoder_finish(encoder)) throw new Error('The FLAC encoder could not end.');
    // A stream that cannot go back has no checksum of its samples yet; a file has.
    if (sum) writeSync(target, Buffer.from(sum, 'hex'), 0, 16, STREAMINFO + 18);
  } finally {
    Flac.FLAC__stream_encoder_delete(encoder);
    closeSync(source);
    closeSync(target);
  }
}
