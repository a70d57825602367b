import { tempoThrough } from '../backing/tempoFit';
import { barAt, barStart, type MeterMap } from '../time/meter';
import { secondsAt, tickAt, type TempoChange, type TempoMap } from '../time/tempo';
import { TICKS_PER_QUARTER, type Seconds, type TickRange, type Ticks } from '../time/units';
import type { Laying } from './keep';
import type { PlayingReading } from './playing';

/** Beat of a reading that a moment is on, in fractions; beyond its ends at the pace of the ends. */
export function beatAt({ beats }: Pick<PlayingReading, 'beats'>, at: Seconds): number {
  const last = beats.length - 1;
  let i = 0;
  while (i < last - 1 && beats[i + 1]! <= at) i += 1;
  return i + (at - beats[i]!) / (beats[i + 1]! - beats[i]!);
}

/**
 * A phrase on the song's own tempo from a bar on: each of its beats on a quarter, its wander ironed; or at its mean
 * pace, its wander kept.
 */
export function onSongTempo(reading: PlayingReading, from: Ticks, wander: boolean): Laying {
  const { beats } = reading;
  const pace = (beats.at(-1)! - beats[0]!) / (beats.length - 1);
  return (at) => from + TICKS_PER_QUARTER * (wander ? (at - beats[0]!) / pace : beatAt(reading, at));
}

/** A phrase in free time: as many seconds apart as it was played, from a place in the song on. */
export function inFreeTime(first: Seconds, from: Ticks, tempo: TempoMap): Laying {
  const start = secondsAt(tempo, from);
  return (at) => tickAt(tempo, start + at - first);
}

/**
 * The song's tempo when it takes a phrase's: what was before its place stays; from there on the phrase's own, beat by
 * beat as far as it wanders, or one tempo.
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
  // The place itself must have a tempo, and nothing before it may glide into the phrase.
  return [
    ...before
      .filter((c) => c.tick < from)
      .map((c, i, all) => (i === all.length - 1 && c.ramp === 'linear' ? { tick: c.tick, bpm: c.bpm } : c)),
    ...own,
  ];
}

/** The bars a phrase lies in: from its first bar to the end of the bar its last note is in. */
export function phraseRange(from: Ticks, last: Ticks, meter: MeterMap): TickRange {
  return { from, to: barStart(meter, barAt(meter, Math.max(from, last - 1)) + 1) };
}
