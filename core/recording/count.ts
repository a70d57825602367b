import { accentOf, barAt, barStart, meterAt, type Accent, type MeterMap } from '../time/meter';
import { bpmAt, secondsAt, type TempoMap } from '../time/tempo';
import { TICKS_PER_QUARTER, type Seconds, type Ticks } from '../time/units';

export interface CountBeat {
  /** Time of the beat on the song's clock, before the music starts. */
  readonly at: Seconds;
  readonly accent: Accent;
  /** Number of beats left, this one included; the lamp shows it. */
  readonly left: number;
}

export interface CountOff {
  /** Time at which the song's clock starts. */
  readonly from: Seconds;
  readonly beats: readonly CountBeat[];
}

/**
 * Count-off of bars or beats, in the meter and tempo at the start of the music. Its pulse is steady and leads into the
 * bar, also when the music starts in mid-bar.
 * @param beats number of beats instead of bars, or null; they are the last ones before the start
 */
export function countOff(
  tempo: TempoMap,
  meter: MeterMap,
  start: Ticks,
  bars: number,
  beats: number | null = null,
): CountOff {
  const startSeconds = secondsAt(tempo, start);
  const there = meterAt(meter, start);
  const secondsPerTick = 60 / bpmAt(tempo, start) / TICKS_PER_QUARTER;
  const length = beats === null ? bars * there.ticksPerBar : beats * there.ticksPerBeat;
  // Beats are counted from the start of the bar, through bars of this meter that may not exist in the song.
  const inBar = start - barStart(meter, barAt(meter, start));
  const strokes: CountBeat[] = [];
  const first = Math.ceil((inBar - length) / there.ticksPerBeat);
  const end = Math.ceil(inBar / there.ticksPerBeat);
  for (let line = first; line < end; line += 1) {
    const ahead = inBar - line * there.ticksPerBeat;
    const beat = (((line % there.beats) + there.beats) % there.beats) + 1;
    strokes.push({ at: startSeconds - ahead * secondsPerTick, accent: accentOf(there, beat), left: end - line });
  }
  return { from: startSeconds - length * secondsPerTick, beats: strokes };
}

/** Beats of a repeating count from the music's start to a moment. `bar` has the beats of one bar before the start. */
export function roundBeats(bar: readonly CountBeat[], length: Seconds, until: Seconds): CountBeat[] {
  const beats: CountBeat[] = [];
  if (bar.length === 0 || !(length > 0)) return beats;
  for (let round = 1; bar[0]!.at + round * length < until; round += 1)
    beats.push(...bar.map((b) => ({ ...b, at: b.at + round * length })));
  return beats;
}
