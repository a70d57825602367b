import { DamagedFile } from '../files/damaged';
import type { Frames, Seconds } from '../time/units';

/** Zoom level of a waveform: minimum and maximum of each step, -127 to 127 for full scale. */
export interface PeakLevel {
  /** Steps a second. */
  readonly perSecond: number;
  readonly low: Int8Array;
  readonly high: Int8Array;
}

/** Waveform at several zooms, the finest first; each next one is eight times coarser. */
export interface Peaks {
  readonly levels: readonly PeakLevel[];
}

const FINEST_A_SECOND = 400;
const COARSER = 8;
const LEVELS = 3;
const FULL = 127;
/** Level below the last bit of a 24-bit file, which counts as silence. */
const SILENT = 2 ** -23;

export interface PeakBuilder {
  /** Adds samples of each channel. All calls but the last bring a multiple of `step` frames. */
  readonly add: (channels: readonly Float32Array[]) => void;
  readonly step: Frames;
  readonly done: () => Peaks;
}

/** Builder of the peaks of sound that comes in pieces. */
export function peakBuilder(sampleRate: number, frames: Frames): PeakBuilder {
  const step = Math.max(1, Math.round(sampleRate / FINEST_A_SECOND));
  const steps = Math.ceil(frames / step);
  const low = new Int8Array(steps);
  const high = new Int8Array(steps);
  let at = 0;
  return {
    step,
    add(channels) {
      const count = channels[0]?.length ?? 0;
      for (let from = 0; from < count && at < steps; from += step, at += 1) {
        let least = 0;
        let most = 0;
        const end = Math.min(count, from + step);
        for (const channel of channels) {
          for (let i = from; i < end; i += 1) {
            const sample = channel[i]!;
            if (sample < least) least = sample;
            else if (sample > most) most = sample;
          }
        }
        // Rounded outward, so that the faintest sound shows and only silence is flat.
        low[at] = least > -SILENT ? 0 : Math.max(-FULL, Math.floor(least * FULL));
        high[at] = most < SILENT ? 0 : Math.min(FULL, Math.ceil(most * FULL));
      }
    },
    done: () => ({ levels: levelsFrom({ perSecond: sampleRate / step, low, high }) }),
  };
}

function levelsFrom(finest: PeakLevel): PeakLevel[] {
  const levels = [finest];
  while (levels.length < LEVELS) {
    const fine = levels.at(-1)!;
    const size = Math.ceil(fine.low.length / COARSER);
    const low = new Int8Array(size);
    const high = new Int8Array(size);
    for (let i = 0; i < fine.low.length; i += 1) {
      const k = Math.floor(i / COARSER);
      if (fine.low[i]! < low[k]!) low[k] = fine.low[i]!;
      if (fine.high[i]! > high[k]!) high[k] = fine.high[i]!;
    }
    levels.push({ perSecond: fine.perSecond / COARSER, low, high });
  }
  return levels;
}

/** Peaks of complete sound. */
export function wavePeaks(channels: readonly Float32Array[], sampleRate: number): Peaks {
  const builder = peakBuilder(sampleRate, channels[0]?.length ?? 0);
  builder.add(channels);
  return builder.done();
}

/** Coarsest level with at least `perSecond` steps a second. */
export const levelFor = ({ levels }: Peaks, perSecond: number): PeakLevel =>
  levels.findLast((l) => l.perSecond >= perSecond) ?? levels[0]!;

/** Largest peak of a level between two times, 0 to 1; 0 outside the sound. */
export function loudest(level: PeakLevel, from: Seconds, to: Seconds): number {
  let most = 0;
  const last = Math.min(
    level.low.length - 1,
    Math.max(Math.floor(from * level.perSecond), Math.ceil(to * level.perSecond) - 1),
  );
  for (let i = Math.max(0, Math.floor(from * level.perSecond)); i <= last; i += 1)
    most = Math.max(most, -level.low[i]!, level.high[i]!);
  return most / FULL;
}

/** Test for a file that is silent throughout. */
export const isSilent = ({ levels }: Peaks): boolean =>
  levels.at(-1)!.low.every((v) => v === 0) && levels.at(-1)!.high.every((v) => v === 0);

const MAGIC = 0x544b504b;
const VERSION = 1;
const HEADER = 16;

/**
 * Finest level as bytes: magic, version, number of steps, steps a second (float32), then minimum and maximum in turn.
 */
export function packPeaks({ levels: [finest] }: Peaks): Uint8Array {
  const { low, high, perSecond } = finest!;
  const bytes = new Uint8Array(HEADER + 2 * low.length);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC);
  view.setUint32(4, VERSION);
  view.setUint32(8, low.length);
  view.setFloat32(12, perSecond);
  bytes.set(new Uint8Array(low.buffer, low.byteOffset, low.length), HEADER);
  bytes.set(new Uint8Array(high.buffer, high.byteOffset, high.length), HEADER + low.length);
  return bytes;
}

/** @throws DamagedFile for other bytes */
export function unpackPeaks(bytes: Uint8Array): Peaks {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const whole = bytes.length >= HEADER && view.getUint32(0) === MAGIC && view.getUint32(4) === VERSION;
  const steps = whole ? view.getUint32(8) : 0;
  const perSecond = whole ? view.getFloat32(12) : 0;
  if (!whole || bytes.length !== HEADER + 2 * steps || !(perSecond > 0) || perSecond > 10_000)
    throw new DamagedFile('The wave’s picture is damaged.');
  const part = (from: number) => Int8Array.from(new Int8Array(bytes.buffer, bytes.byteOffset + from, steps));
  return { levels: levelsFrom({ perSecond, low: part(HEADER), high: part(HEADER + steps) }) };
}
