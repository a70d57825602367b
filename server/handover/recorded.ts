/** Mixes a part that is heard as recorded into a file. */
import { closeSync, openSync, readSync, writeSync } from 'node:fs';
import { ConverterType, create } from '@alexanderolsen/libsamplerate-js';
import { bytesPerSample, interleave, wavHeader } from '../../core/files/wav';
import { LoudnessMeter } from '../../core/handover/loudness';
import { EDGE } from '../../core/reading/sound';
import { SECOND_TOLERANCE, type Frames } from '../../core/time/units';
import { transposedSides } from './timeStretch';
import { SILENT } from './silence';
import type { Bounced, RecordedPiece, RecordedTask } from './task';

/** Number of frames made at once. */
const BLOCK: Frames = 24_000;
/** Number of frames read ahead, as a resampler needs those around a sample. */
const AROUND: Frames = 4096;
const SAMPLE_BYTES = 4;

/** Samples of a recording's file from a frame on, with silence outside. */
class Samples {
  readonly #file: number;
  readonly #piece: RecordedPiece;
  #at: Frames;

  constructor(piece: RecordedPiece, from: Frames) {
    this.#piece = piece;
    this.#file = openSync(piece.path, 'r');
    this.#at = from;
  }

  /** Reads interleaved samples of some number of frames. */
  next(frames: Frames): Float32Array {
    const { channels, data, length } = this.#piece;
    const out = new Float32Array(frames * channels);
    const from = Math.max(0, this.#at);
    const count = Math.max(0, Math.min(this.#at + frames, length) - from);
    if (count > 0) {
      const bytes = new Uint8Array(
        out.buffer,
        (from - this.#at) * channels * SAMPLE_BYTES,
        count * channels * SAMPLE_BYTES,
      );
      readSync(this.#file, bytes, 0, bytes.length, data + from * channels * SAMPLE_BYTES);
    }
    this.#at += frames;
    return out;
  }

  close(): void {
    closeSync(this.#file);
  }
}

/** Source of a piece's frames, at the rate of the target file. */
interface Source {
  next(frames: Frames): Float32Array;
  close(): void;
}

/** Sound at its own rate, placed on a whole frame. */
const plainSource = (piece: RecordedPiece, from: number): Source => new Samples(piece, Math.round(from));

/**
 * The sound at another rate, by a windowed sinc (libsamplerate), which keeps every moment where it is. What it adds
 * lies 121 dB below, under what converters do; its best is at 145 dB, and takes three times as long.
 * @param from where it begins, in frames of its own rate
 */
async function resampledSource(piece: RecordedPiece, from: number, rate: number): Promise<Source> {
  const { channels } = piece;
  const ratio = rate / piece.rate;
  const first = Math.floor(from) - AROUND;
  const samples = new Samples(piece, first);
  const converter = await create(channels, piece.rate, rate, { converterType: ConverterType.SRC_SINC_MEDIUM_QUALITY });
  let left = new Float32Array(0);
  let skip = Math.round((from - first) * ratio) * channels;
  return {
    next(frames) {
      const wanted = frames * channels;
      const pieces = [left];
      let have = left.length;
      while (have < wanted) {
        // Results are in memory that is reused.
        const made = Float32Array.from(converter.full(samples.next(AROUND)));
        const kept = made.subarray(Math.min(skip, made.length));
        skip -= made.length - kept.length;
        pieces.push(kept as Float32Array<ArrayBuffer>);
        have += kept.length;
      }
      const all = new Float32Array(have);
      let at = 0;
      for (const p of pieces) {
        all.set(p, at);
        at += p.length;
      }
      left = all.slice(wanted);
      return all.subarray(0, wanted);
    },
    close() {
      samples.close();
      converter.destroy();
    },
  };
}

/**
 * Transposed sound at the target's rate. The whole piece is made at once, in memory.
 * @param from its start, in frames of its own rate
 * @param frames number of frames of the target
 */
async function transposedSource(piece: RecordedPiece, from: number, frames: Frames, rate: number): Promise<Source> {
  const { channels } = piece;
  const first = Math.floor(from) - AROUND;
  const samples = new Samples(piece, first);
  const all = samples.next(Math.ceil((frames * piece.rate) / rate) + 2 * AROUND);
  samples.close();
  const sides = Array.from({ length: channels }, (_, c) =>
    Float32Array.from({ length: all.length / channels }, (_, i) => all[i * channels + c]!),
  );
  const made = await transposedSides(sides, piece.rate, piece.semitones, rate);
  let at = Math.round(((from - first) * rate) / piece.rate);
  return {
    next(count) {
      const out = new Float32Array(count * channels);
      for (let i = 0; i < count; i += 1)
        for (let c = 0; c < channels; c += 1) out[i * channels + c] = made[c]![at + i] ?? 0;
      at += count;
      return out;
    },
    close() {},
  };
}

/** Piece with its start and end in the file, edges included. */
interface Placed {
  readonly piece: RecordedPiece;
  readonly from: Frames;
  readonly to: Frames;
  /** Number of frames of its fade-in ahead of its place; 0 where it begins with its recording. */
  readonly comesIn: Frames;
  /** Length of its fade-out; 0 where it ends with its recording. */
  readonly goes: Frames;
  source: Source | null;
}

function placed(piece: RecordedPiece, rate: number): Placed {
  const lead = Math.min(EDGE, piece.into, piece.from);
  const ends = piece.to - piece.from + piece.into >= piece.length / piece.rate - SECOND_TOLERANCE;
  const from = Math.round((piece.from - lead) * rate);
  return {
    ...{ piece, from, to: Math.round(piece.to * rate), comesIn: Math.round(lead * rate) },
    ...{ goes: ends ? 0 : Math.round(EDGE * rate), source: null },
  };
}

/** @param begins its start, in frames of its own rate */
function sourceOf({ piece, from, to }: Placed, begins: number, rate: number): Source | Promise<Source> {
  if (piece.semitones !== 0) return transposedSource(piece, begins, to - from, rate);
  return piece.rate === rate ? plainSource(piece, begins) : resampledSource(piece, begins, rate);
}

/** Adds a piece's frames between two places to both sides. */
async function addTo(
  sides: readonly [Float32Array, Float32Array],
  own: Placed,
  from: Frames,
  to: Frames,
  rate: number,
  gain: number,
): Promise<void> {
  const [first, last] = [Math.max(from, own.from), Math.min(to, own.to)];
  if (last <= first) return;
  const { piece } = own;
  if (!own.source) {
    const begins = (piece.into + own.from / rate - piece.from) * piece.rate;
    own.source = await sourceOf(own, begins, rate);
  }
  const samples = own.source.next(last - first);
  for (let i = 0; i < last - first; i += 1) {
    const at = first + i - own.from;
    const before = own.to - first - i;
    const edge = Math.min(
      own.comesIn > 0 ? Math.min(1, at / own.comesIn) : 1,
      own.goes > 0 ? Math.min(1, before / own.goes) : 1,
    );
    sides[0][first + i - from]! += samples[i * piece.channels]! * edge * gain;
    sides[1][first + i - from]! += samples[i * piece.channels + piece.channels - 1]! * edge * gain;
  }
}

/** Mixes pieces into a file; mono sound goes to both sides. */
export async function mixTo(
  { path, facts, pieces, gain, frames, most }: RecordedTask,
  said: (frames: Frames) => void,
): Promise<Bounced> {
  const { rate } = facts;
  const all = pieces.map((p) => placed(p, rate));
  const end = Math.min(most, Math.max(frames, ...all.map((p) => p.to)));
  const meter = new LoudnessMeter(rate, facts.channels);
  const size = bytesPerSample(facts.format) * facts.channels;
  const file = openSync(path, 'w');
  let sounds = 0;
  try {
    let place = writeSync(file, wavHeader(facts, 0));
    for (let at = 0; at < end; at += BLOCK) {
      const to = Math.min(end, at + BLOCK);
      const sides = [new Float32Array(to - at), new Float32Array(to - at)] as const;
      for (const own of all) {
        await addTo(sides, own, at, to, rate, gain);
        if (own.to <= to) {
          own.source?.close();
          own.source = null;
        }
      }
      for (let i = to - at - 1; i >= 0; i -= 1) {
        if (Math.abs(sides[0][i]!) < SILENT && Math.abs(sides[1][i]!) < SILENT) continue;
        sounds = at + i + 1;
        break;
      }
      meter.add(sides);
      const bytes = new Uint8Array((to - at) * size);
      interleave(sides, facts.format, bytes);
      place += writeSync(file, bytes, 0, bytes.length, place);
      said(to - at);
    }
    return { frames: Math.min(most, Math.max(frames, sounds)), levels: meter.levels() };
  } finally {
    for (const own of all) own.source?.close();
    closeSync(file);
  }
}
