import type { Bpm, Seconds } from '../time/units';
import { beatsOf, metres, type Metre } from './metre';
import { onsetsOf, type PlayedNote } from './onsets';
import { tatums } from './tatum';

export type { PlayedNote };

/** Reading of freely played notes. */
export interface PlayingReading {
  /** Times of its beats, the first a down-beat at or before the first note, the last a bar beyond the end. */
  readonly beats: readonly Seconds[];
  readonly beatsPerBar: number;
  /** The mean tempo of its beats. */
  readonly bpm: Bpm;
  /** Score, larger for likelier; it compares readings of the same playing only. */
  readonly score: number;
}

/** Number of readings offered at most. */
const OFFERED = 4;
/** Tempos nearer than this, as a share, are the same tempo. */
const SAME = 0.03;

/**
 * Works out tempo, phase, meter and first beat from notes that were played freely, the likeliest reading first.
 * Three steps: onsets from notes, weighted by velocity, chord size, bass and length (the rules of Lerdahl and
 * Jackendoff, "A generative theory of tonal music", 1983, as Temperley and Sleator made them computable in "Modeling
 * meter and harmony: a preference-rule approach", Computer Music Journal 23(1), 1999); the finest pulse that the onsets
 * follow, let wander as the playing does (after Dixon, "Automatic extraction of tempo and beat from expressive
 * performances", J. New Music Research 30(1), 2001); and the grouping of that pulse into beats and bars that lets the
 * weights fall best.
 * @param notes at least two onsets apart in time
 * @returns two to four readings, or none when there is nothing to count by
 */
export function readPlaying(notes: readonly PlayedNote[]): PlayingReading[] {
  const onsets = onsetsOf(notes);
  if (onsets.length < 2) return [];
  const all = tatums(onsets)
    .flatMap((tatum) => metres(onsets, tatum))
    .sort((a, b) => b.score - a.score);
  const offered: Metre[] = [];
  for (const metre of all) {
    if (offered.length === OFFERED) break;
    if (!offered.some((o) => Math.abs(o.bpm / metre.bpm - 1) < SAME)) offered.push(metre);
  }
  // Another first beat or meter at the likeliest tempo takes the last place.
  const [best] = offered;
  const other = all.find(
    (m) =>
      best &&
      m !== best &&
      Math.abs(m.bpm / best.bpm - 1) < SAME &&
      (m.beatsPerBar !== best.beatsPerBar || m.begins !== best.begins),
  );
  if (other) offered.splice(Math.min(offered.length, OFFERED - 1), 1, other);
  return offered
    .sort((a, b) => b.score - a.score)
    .map((m) => ({ beats: beatsOf(onsets, m), beatsPerBar: m.beatsPerBar, bpm: m.bpm, score: m.score }));
}

/** Every other beat, from the first. */
export const halved = (reading: PlayingReading): PlayingReading => ({
  ...reading,
  beats: reading.beats.filter((_, i) => i % 2 === 0),
  bpm: reading.bpm / 2,
});

/** Twice as many beats. */
export function doubled(reading: PlayingReading): PlayingReading {
  const { beats } = reading;
  return {
    ...reading,
    beats: beats.flatMap((b, i) => (i + 1 < beats.length ? [b, (b + beats[i + 1]!) / 2] : [b])),
    bpm: reading.bpm * 2,
  };
}

/** First beat of the bar moved by some beats; bars are added in front as needed. */
export function shifted(reading: PlayingReading, by: number, firstNote: Seconds): PlayingReading {
  const { beats, beatsPerBar } = reading;
  const length = beats[1]! - beats[0]!;
  const from = ((by % beatsPerBar) + beatsPerBar) % beatsPerBar;
  // A bar is added in front while the first note lies before the first bar.
  const late = (beats[from] ?? Infinity) > firstNote + length / 4;
  const front = late ? Array.from({ length: beatsPerBar }, (_, i) => beats[0]! - (beatsPerBar - i) * length) : [];
  return { ...reading, beats: [...front, ...beats].slice(from) };
}
