import { fitClocks, type ClockFit, type ClockPair } from './clockFit';
import type { Milliseconds, Seconds } from './units';

/** Epoch: a time in which the audio clock ran without a break. */
interface Epoch {
  readonly from: Milliseconds;
  readonly fit: ClockFit;
}

/** State of following the audio clock through its breaks. */
export interface ClockFollower {
  /** Epochs, the oldest first; the last one is running. */
  readonly epochs: readonly Epoch[];
  /** Thinned readings of the running epoch. */
  readonly pairs: readonly ClockPair[];
  /** Latest readings that do not fit the line. */
  readonly suspects: readonly ClockPair[];
}

export const NO_READINGS: ClockFollower = { epochs: [], pairs: [], suspects: [] };

/** Number of readings that are kept: at two a second, the last forty seconds. */
const MOST_PAIRS = 80;
/** Distance of kept readings; at first each one is kept. */
const EAGER = 12;
const APART: Milliseconds = 500;
/**
 * Largest error of a reading. Jitter is about a tenth of a millisecond; a dropout moves the clock by a buffer of 3 ms
 * or more.
 */
const BREAK: Seconds = 0.002;
/** Number of readings that agree with each other, and not with the line, from which a new epoch begins. */
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

/** Audio time at a page time, by the line in force then; undefined before the first reading. */
export function contextAt(follower: ClockFollower, performance: Milliseconds): Seconds | undefined {
  const epoch = follower.epochs.findLast((e) => e.from <= performance) ?? follower.epochs[0];
  return epoch?.fit.contextAt(performance);
}

/** Page time at which the audio clock will read `context`, without a break; undefined before the first reading. */
export const performanceAt = (follower: ClockFollower, context: Seconds): Milliseconds | undefined =>
  follower.epochs.at(-1)?.fit.performanceAt(context);
