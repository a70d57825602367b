import { decibelsFromGain, gainFromDecibels, type Frames, type Seconds } from '../time/units';
import type { Sides } from './struckNote';

/**
 * A note that dies away for as long as it is held, in a few seconds of sound: it is stored without its decay, ends in a
 * loop, and whatever plays it lets it die away at `decay`.
 */
export interface LoopedNote {
  readonly sides: Sides;
  /** First frame of the loop, and the frame after its last, which is the note's length. */
  readonly from: Frames;
  readonly to: Frames;
  /** Decay in decibels a second. */
  readonly decay: number;
}

/** Length of the frames whose level is measured. */
const LEVEL_EVERY: Seconds = 0.05;
/** Noise floor of the recording, in decibels, below which levels are ignored. */
const ROOM_LEVEL = -58;
const FEWEST_LEVELS = 12;
/** Range of decay in decibels a second: slower notes have no stable loop, faster ones end soon anyway. */
const SLOWEST = 1.5;
const FASTEST = 40;
/** Length of the crossfade of a loop's ends, in seconds. */
const COMPARED: Seconds = 0.25;
/** Largest deviation from the requested length, as a share. */
const ROOM: Seconds = 0.03;
/** Share of the loop that is crossfaded. */
const JOINED = 0.4;
/** Frames compared in the first search, and their distance. */
const COARSE = 4;

/** Decay in decibels a second between two frames, as far as it is audible. */
function decayOver(sides: Sides, from: Frames, to: Frames, rate: number): number {
  const step = Math.round(LEVEL_EVERY * rate);
  const levels: number[] = [];
  for (let at = from; at + step <= to; at += step) {
    let sum = 1e-12;
    for (const side of sides) for (let i = at; i < at + step; i += 1) sum += side[i]! ** 2;
    const level = decibelsFromGain(Math.sqrt(sum / (2 * step)));
    if (level < ROOM_LEVEL && levels.length >= FEWEST_LEVELS) break;
    levels.push(level);
  }
  const [mean, middle] = [levels.reduce((a, b) => a + b, 0) / levels.length, (levels.length - 1) / 2];
  const across = levels.reduce((sum, _, i) => sum + (i - middle) ** 2, 0);
  const slope = levels.reduce((sum, level, i) => sum + (i - middle) * (level - mean), 0) / across;
  return -slope / LEVEL_EVERY;
}

/** Similarity of the sound before two frames, -1 to 1. */
function likeness(sides: Sides, a: Frames, b: Frames, length: Frames, step: number): number {
  let [ab, aa, bb] = [0, 1e-12, 1e-12];
  for (const side of sides)
    for (let i = -length; i < 0; i += step) {
      const [x, y] = [side[a + i]!, side[b + i]!];
      ab += x * y;
      aa += x * x;
      bb += y * y;
    }
  return ab / Math.sqrt(aa * bb);
}

/** Length near the requested one for which the loop's ends are most similar. */
function bestLength(sides: Sides, to: Frames, asked: Frames, rate: number): Frames {
  const compared = Math.round(COMPARED * rate);
  const best = (around: Frames, room: Frames, step: number): Frames => {
    let [found, like] = [around, -Infinity];
    for (let length = around - room; length <= around + room; length += step) {
      const now = likeness(sides, to, to - length, compared, step);
      if (now > like) [found, like] = [length, now];
    }
    return found;
  };
  return best(best(asked, Math.round(ROOM * rate), COARSE), COARSE, 1);
}

/**
 * Makes a loop at the end of a note.
 * @param sides from the note's onset, with all that was recorded of it
 * @param end length that is kept
 * @param length about the length of the loop; with what is laid over it, it begins later than `end` less twice that
 */
export function looped(sides: Sides, rate: number, end: Seconds, length: Seconds): LoopedNote {
  const [to, asked] = [Math.round(end * rate), Math.round(length * rate)];
  const before = to - Math.round(asked * (1 + JOINED));
  // The decay is levelled from here on, so that the loop repeats without a step.
  const decay = Math.min(FASTEST, Math.max(SLOWEST, decayOver(sides, before, sides[0].length, rate)));
  const rest = decayOver(sides, before, to, rate) - decay;
  const flat = sides.map((side) => side.slice(0, to)) as unknown as Sides;
  for (const side of flat)
    for (let i = 0; i < to; i += 1) side[i]! *= gainFromDecibels((decay * i + rest * Math.max(0, i - before)) / rate);
  const loop = bestLength(flat, to, asked, rate);
  const joined = Math.round(loop * JOINED);
  // Similar signals add up to more than different ones.
  const alike = likeness(flat, to, to - loop, joined, 1);
  for (const side of flat) {
    for (let i = 1; i <= joined; i += 1) {
      const angle = ((1 - i / (joined + 1)) * Math.PI) / 2;
      const [out, into] = [Math.cos(angle), Math.sin(angle)];
      const sum = Math.sqrt(1 + 2 * Math.max(0, alike) * out * into);
      side[to - i] = (side[to - i]! * out + side[to - loop - i]! * into) / sum;
    }
  }
  return { sides: flat, from: to - loop, to, decay };
}

/** Note that ends before it needs a loop, faded out at its end. */
export function faded(sides: Sides, rate: number, end: Seconds, fade: Seconds): Sides {
  const [to, over] = [Math.min(sides[0].length, Math.round(end * rate)), Math.round(fade * rate)];
  return sides.map((side) =>
    side.slice(0, to).map((x, i) => (i < to - over ? x : x * Math.cos(((i - to + over) / over) * (Math.PI / 2)))),
  ) as unknown as Sides;
}
