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
  /** Decibels a second. */
  readonly decay: number;
}

/** Frames of this length have a level. */
const LEVEL_EVERY: Seconds = 0.05;
/** Level of the room that a note was recorded in, in decibels: what is as soft says nothing of the note. */
const ROOM_LEVEL = -58;
const FEWEST_LEVELS = 12;
/** Slower than this no string dies away, and what seems to has no loop that holds; faster, it is over anyway. */
const SLOWEST = 1.5;
const FASTEST = 40;
/** The ends of a loop are laid over each other by what sounds for so long before them. */
const COMPARED: Seconds = 0.25;
/** A loop can be this much longer or shorter than asked, as the sound has it. */
const ROOM: Seconds = 0.03;
/** Share of the loop that its end takes to become what comes before its beginning. */
const JOINED = 0.4;
/** Frames compared at first, and every how many of them. */
const COARSE = 4;

/** Decibels a second that a note loses between two frames, as far as it can be heard. */
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

/** Likeness of what sounds before two frames, -1 to 1. */
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

/** The length of loop, of those around the one asked for, whose ends are most alike. */
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
  // From here on it dies away as the rest of the note does, which is not heard; what the loop itself does otherwise
  // would be heard each time around.
  const decay = Math.min(FASTEST, Math.max(SLOWEST, decayOver(sides, before, sides[0].length, rate)));
  const rest = decayOver(sides, before, to, rate) - decay;
  const flat = sides.map((side) => side.slice(0, to)) as unknown as Sides;
  for (const side of flat)
    for (let i = 0; i < to; i += 1) side[i]! *= gainFromDecibels((decay * i + rest * Math.max(0, i - before)) / rate);
  const loop = bestLength(flat, to, asked, rate);
  const joined = Math.round(loop * JOINED);
  // What is alike adds up to more than what is not.
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

/** A note that is over before it would need a loop, faded out at its end. */
export function faded(sides: Sides, rate: number, end: Seconds, fade: Seconds): Sides {
  const [to, over] = [Math.min(sides[0].length, Math.round(end * rate)), Math.round(fade * rate)];
  return sides.map((side) =>
    side.slice(0, to).map((x, i) => (i < to - over ? x : x * Math.cos(((i - to + over) / over) * (Math.PI / 2)))),
  ) as unknown as Sides;
}
