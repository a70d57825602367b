import { tempoThrough } from '../backing/tempoFit';
import { barAt, barStart, type MeterMap } from '../time/meter';
import { secondsAt, tickAt, type TempoChange, type TempoMap } from '../time/tempo';
import { TICKS_PER_QUARTER, type Seconds, type TickRange, type Ticks } from '../time/units';
import type { PhrasePlacement } from './keep';
import type { PlayingReading } from './playing';

/** Beat of a reading at a moment, in fractions, extrapolated beyond its ends. */
export function beatAt({ beats }: Pick<PlayingReading, 'beats'>, at: Seconds): number {
  const last = beats.length - 1;
  let i = 0;
  while (i < last - 1 && beats[i + 1]! <= at) i += 1;
  return i + (at - beats[i]!) / (beats[i + 1]! - beats[i]!);
}

/** Phrase at the song's tempo from a bar on, each beat on a quarter; or at its mean tempo, keeping its deviations. */
export function onSongTempo(reading: PlayingReading, from: Ticks, wander: boolean): PhrasePlacement {
  const { beats } = reading;
  const pace = (beats.at(-1)! - beats[0]!) / (beats.length - 1);
  return (at) => from + TICKS_PER_QUARTER * (wander ? (at - beats[0]!) / pace : beatAt(reading, at));
}

/** Phrase with its own seconds, from a place in the song on. */
export function inFreeTime(first: Seconds, from: Ticks, tempo: TempoMap): PhrasePlacement {
  const start = secondsAt(tempo, from);
  return (at) => tickAt(tempo, start + at - first);
}

/**
 * Song's tempo after taking over a phrase's: unchanged before its place, and from there the phrase's own, beat by beat
 * or one tempo.
 */
export function tempoOfPhrase(
  reading: PlayingReading,
  from: Ticks,
  before: readonly TempoChange[],
  wander: boolean,
): TempoChange[] {
  const { beats } = reading;
  const times = beats.map((b) => b - beats[0]!);
  const own = wander
    ? tempoThrough(times, TICKS_PER_QUARTER, from)
    : [{ tick: from, bpm: (60 * (beats.length - 1)) / times.at(-1)! }];
  // A ramp must not glide into the phrase, so the place itself has a tempo.
  return [
    ...before
      .filter((c) => c.tick < from)
      .map((c, i, all) => (i === all.length - 1 && c.ramp === 'linear' ? { tick: c.tick, bpm: c.bpm } : c)),
    ...own,
  ];
}

/** Bars of a phrase, from its first to the bar of its last note. */
export function phraseRange(from: Ticks, last: Ticks, meter: MeterMap): TickRange {
  return { from, to: barStart(meter, barAt(meter, Math.max(from, last - 1)) + 1) };
}
