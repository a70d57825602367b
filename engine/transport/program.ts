import { beatsBetween } from '../../core/time/meter';
import { secondsAt, tickAt } from '../../core/time/tempo';
import type { Seconds } from '../../core/time/units';
import type { CountOff } from '../../core/recording/count';
import { heldBefore, restore } from '../../core/performance/controls';
import { eventsFromReading, type Reading } from '../../core/performance/notes';
import type { SongMaps } from '../../core/song/song';
import type { Scheduled } from '../instrument/schedule';
import { contextTime, type Anchor } from './anchor';

export interface Voice {
  readonly channel: number;
  readonly line: Reading;
}

/** A little before a chased controller's first note, so that it holds when the note sounds. */
const AHEAD: Seconds = 0.002;

/**
 * Everything the instrument has to sound from a place in the song to its end, on the audio clock. It is handed
 * over whole: the audio thread then needs nothing more from a page that may be busy or hidden.
 * @param from where the music starts; notes struck earlier are not struck again, controllers are set as they were left
 */
export function programOf(maps: SongMaps, anchor: Anchor, from: Seconds, voices: readonly Voice[], click: boolean, count: CountOff | null): Scheduled[] {
  const start = tickAt(maps.tempo, from);
  const at = (tick: number) => contextTime(anchor, secondsAt(maps.tempo, tick));
  const events: Scheduled[] = voices.flatMap(({ channel, line }) => [
    ...restore(new Map(), heldBefore(line.controls, start), start)
      .map((e): Scheduled => ({ at: at(start) - AHEAD, channel, message: e.message })),
    ...eventsFromReading({
      notes: line.notes.filter((n) => n.start >= start),
      controls: line.controls.filter((c) => c.at >= start),
    }).map((e): Scheduled => ({ at: at(e.at), channel, message: e.message })),
  ]);
  if (count) events.push(...count.beats.map((b): Scheduled => ({ at: contextTime(anchor, b.at), click: b.accent })));
  if (click) {
    // A beat that rounding puts a hair before the start is still the first beat.
    events.push(...beatsBetween(maps.meter, Math.ceil(start - 1e-3), maps.end).map((b): Scheduled => ({ at: at(b.tick), click: b.accent })));
  }
  return events;
}
