import type { Milliseconds, Seconds } from '../time/units';

/** Policy by which notes are placed against the song; see `shiftOf`. */
export type Policy = 'played' | 'heard';

/** Latencies when the layer was recorded. */
export interface Latency {
  /** Time from the moment a sample is rendered to the moment it is heard. */
  readonly output: Seconds;
  /** Time from the key to the event's time stamp. */
  readonly input: Seconds;
  /** Origin of the output latency: measured or typed; undefined for the system's own report. */
  readonly measured?: boolean | undefined;
}

export interface Placement {
  readonly policy: Policy;
  /** Shift of the whole part; positive is later. */
  readonly nudge: Milliseconds;
}

/**
 * Shift that is added to an arrival on the song's render clock. A player who hears the keyboard's own sound plays
 * with the click as heard, late by the output latency (`played`). One who hears the sound through the program hears
 * both late by the same amount and lines those up (`heard`).
 * @example shiftOf({ policy: 'heard', nudge: 0 }, { output: 0.03, input: 0.002 }) // -0.002
 */
export function shiftOf(placement: Placement, latency: Latency): Seconds {
  const output = placement.policy === 'played' ? latency.output : 0;
  return placement.nudge / 1000 - latency.input - output;
}
