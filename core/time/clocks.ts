import { fitClocks, type ClockFit, type ClockPair } from './clockFit';
import type { Milliseconds, Seconds } from './units';

/** A range in which the audio clock ran without a break. */
interface Epoch {
  readonly from: Milliseconds;
  readonly fit: ClockFit;
}

/** Follows the audio clock by readings, through its breaks. */
export interface ClockFollower {
  /** Oldest first; the last is the one that runs. */
  readonly epochs: readonly Epoch[];
  /** Readings of the running epoch, some apart. */
  readonly pairs: readonly ClockPair[];
  /** The latest readings that do not lie on the line. */
  readonly suspects: readonly ClockPair[];
}

export const NO_READINGS: ClockFollower = { epochs: [], pairs: [], suspects: [] };

/** Enough to see drift: at two a second, the last forty seconds. */
const MOST_PAIRS = 80;
/** At first every reading counts; later one each half second is enough. */
const EAGER = 12;
const APART: Milliseconds = 500;
/** Readings jitter by a tenth of a millisecond; a dropout moves the clock by a device buffer, 3 ms or more. */
const BREAK: Seconds = 0.002;
/** Number of readings that, agreeing with each other, and not with the line, are a break. */
const WITNESSES = 2;
const AGREE: Seconds = 0.001;
const MOST_EPOCHS = 32;

const offsetOf = (pair: ClockPair): Seconds => pair.context - pair.performance / 1000;

function agree(pairs: readonly ClockPair[]): boolean {
  const offsets = pairs.map(offsetOf);
  return Math.max(...offsets) - Math.min(...offsets) <= AGREE;
}

function begin(follower: ClockFollower, pairs: readonly ClockPair[]): ClockFollower {
  const epochs = [...follower.epochs, { from: pairs[0]!.performance, fit: fitClocks(pairs) }];
  return { epochs: epochs.slice(-MOST_EPOCHS), pairs, suspects: [] };
}

/**
 * Takes a reading. When the audio device runs dry, its clock falls behind the page's at one stroke, and so does
 * everything it plays: from there on another line holds. A single odd reading is passed over.
 */
export function follow(follower: ClockFollower, pair: ClockPair): ClockFollower {
  const running = follower.epochs.at(-1);
  if (!running) return begin(follower, [pair]);
  if (Math.abs(pair.context - running.fit.contextAt(pair.performance)) > BREAK) {
    const suspects = [...follower.suspects, pair].slice(-WITNESSES);
    if (suspects.length === WITNESSES && agree(suspects)) return begin(follower, suspects);
    return { ...follower, suspects };
  }
  const last = follower.pairs.at(-1)!;
  if (follower.pairs.length >= EAGER && pair.performance - last.performance < APART)
    return { ...follower, suspects: [] };
  const pairs = [...follower.pairs, pair].slice(-MOST_PAIRS);
  return { epochs: [...follower.epochs.slice(0, -1), { ...running, fit: fitClocks(pairs) }], pairs, suspects: [] };
}

/** The audio time at a page time, by the line that held then; undefined before the first reading. */
export function contextAt(follower: ClockFollower, performance: Milliseconds): Seconds | undefined {
  const epoch = follower.epochs.findLast((e) => e.from <= performance) ?? follower.epochs[0];
  return epoch?.fit.contextAt(performance);
}

/**
 * The page time at which the audio clock will read `context`, if it does not break; undefined before the first reading.
 */
export const performanceAt = (follower: ClockFollower, context: Seconds): Milliseconds | undefined =>
  follower.epochs.at(-1)?.fit.performanceAt(context);
