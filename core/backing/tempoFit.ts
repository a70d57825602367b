import type { MeterChange } from '../time/meter';
import type { TempoChange } from '../time/tempo';
import { TICKS_PER_QUARTER, type Seconds, type Ticks } from '../time/units';
import type { FoundPulse } from './analysis';

/** Tempo and meter of a recording, and its place against bar 1. */
export interface FittedTempo {
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  /** Place of the file's start on the song's clock. */
  readonly offset: Seconds;
  /** Whole bars from bar 1 to the last beat. */
  readonly bars: number;
}

/** Largest distance between a click and the players. */
export const WITH_THEM: Seconds = 0.004;
const SLOWEST = 5;
const FASTEST = 1000;

/**
 * The fewest tempos whose clicks stay within `within` of every beat: from each change the longest range that one
 * tempo can follow, its range of tempos narrowed by each beat until none is left (J. O'Rourke, "An on-line algorithm
 * for fitting straight lines between data ranges", CACM 24(9), 1981, with a fixed start).
 * @param beats rising, at least two
 * @param every ticks from one to the next
 * @param from the tick of the first
 */
export function tempoThrough(
  beats: readonly Seconds[],
  every: Ticks,
  from: Ticks,
  within: Seconds = WITH_THEM,
): TempoChange[] {
  const changes: TempoChange[] = [];
  let start = 0;
  let startAt = beats[0]!;
  while (start < beats.length - 1) {
    let low = -Infinity;
    let high = Infinity;
    let end = start;
    while (end < beats.length - 1) {
      const steps = end + 1 - start;
      const least = Math.max(low, (beats[end + 1]! - within - startAt) / steps);
      const most = Math.min(high, (beats[end + 1]! + within - startAt) / steps);
      if (least > most) break;
      low = least;
      high = most;
      end += 1;
    }
    // The first beat after a change is within reach of the change itself.
    const straight = (beats[end]! - startAt) / (end - start);
    const period = Math.min(high, Math.max(low, straight));
    const bpm = Math.min(FASTEST, Math.max(SLOWEST, (60 * every) / TICKS_PER_QUARTER / period));
    changes.push({ tick: from + start * every, bpm });
    startAt += ((60 * every) / TICKS_PER_QUARTER / bpm) * (end - start);
    start = end;
  }
  return changes;
}

/**
 * Tempo map of found beats. Bar 1 begins on the first beat that begins a bar; beats before it are its pick-up.
 * @returns undefined with too few beats
 */
export function fitTempo(
  { beats, bars: { meter, first } }: Pick<FoundPulse, 'beats' | 'bars'>,
  within: Seconds = WITH_THEM,
): FittedTempo | undefined {
  if (beats.length < 2 || first >= beats.length) return undefined;
  const every = (meter.beats * ((TICKS_PER_QUARTER * 4) / meter.unit)) / meter.pulses;
  const times = beats.map((b) => b.at - beats[first]!.at);
  // Fitted from bar 1 both ways, so that bar 1 is met exactly.
  const after = first < times.length - 1 ? tempoThrough(times.slice(first), every, 0, within) : [];
  const before =
    first > 0
      ? tempoThrough(
          times
            .slice(0, first + 1)
            .reverse()
            .map((t) => -t),
          every,
          0,
          within,
        )
      : [];
  const starts = [...before.slice(1).map((c) => -c.tick), -first * every];
  const tempo = [...before.map((c, i) => ({ tick: starts[i]!, bpm: c.bpm })).reverse(), ...after];
  return {
    tempo,
    meter: [{ bar: 1, beats: meter.beats, unit: meter.unit }],
    offset: -beats[first]!.at,
    bars: Math.max(1, Math.ceil((beats.length - first) / meter.pulses)),
  };
}
