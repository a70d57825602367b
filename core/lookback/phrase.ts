import type { SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import type { Retiming } from '../song/retime';
import { barAt, meterMap } from '../time/meter';
import type { Milliseconds, Seconds, Ticks } from '../time/units';
import { keysDown, type Passage } from './buffer';
import { keepFree, type KeepFacts, type Kept, type PhrasePlacement } from './keep';
import { inFreeTime, onSongTempo, phraseRange, tempoOfPhrase } from './phrasePlacement';
import type { PlayingReading } from './playing';

/** Ways of placing a freely played phrase in the song. */
export type PlacementChoice = 'song tempo' | 'song tempo, wander' | 'takes tempo' | 'takes tempo, wander' | 'free';

/** Placed phrase, with the song that results. */
export interface PlacedPhrase {
  readonly kept: Kept;
  readonly bars: number;
  readonly retiming?: Retiming;
}

/** Time of the last key event of a phrase, in seconds; held keys ring up to now. */
function lastOf({ events }: Passage, now: Milliseconds): Seconds {
  const held = keysDown(events).size > 0 ? now : 0;
  const notes = events.filter(({ message }) => message.type === 'noteOn' || message.type === 'noteOff');
  return notes.reduce((last, { wall }) => Math.max(last, wall), held) / 1000;
}

/**
 * Places a freely played phrase in the song from a bar on.
 * @param reading of its beats; null for free time
 * @param now in milliseconds since 1970
 */
export function placePhrase(
  facts: KeepFacts,
  song: SongDocument,
  reading: PlayingReading | null,
  placement: PlacementChoice,
  from: Ticks,
  now: Milliseconds,
): PlacedPhrase {
  const last = lastOf(facts.passage, now);
  const wander = placement.endsWith('wander');
  const intoSong = (tickOf: PhrasePlacement): PlacedPhrase => {
    const range = phraseRange(from, tickOf(last), facts.maps.meter);
    return { kept: keepFree(facts, tickOf, range), bars: barAt(facts.maps.meter, range.to - 1) };
  };
  if (placement === 'free' || !reading) {
    const first = facts.passage.events.find((e) => e.message.type === 'noteOn')!;
    return intoSong(inFreeTime(first.wall / 1000, from, facts.maps.tempo));
  }
  if (placement.startsWith('song')) return intoSong(onSongTempo(reading, from, wander));
  const tempo = tempoOfPhrase(reading, from, song.tempo, wander);
  const bar = barAt(facts.maps.meter, from);
  const own = { bar, beats: reading.beatsPerBar, unit: 4 };
  const meter = [...song.meter.filter((m) => m.bar < bar), own, ...song.meter.filter((m) => m.bar > bar)];
  const maps = mapsOf({ ...song, tempo, meter });
  const tickOf = onSongTempo(reading, from, false);
  const range = phraseRange(from, tickOf(last), meterMap(meter));
  const bars = barAt(maps.meter, range.to - 1);
  return {
    kept: keepFree({ ...facts, maps, tempo }, tickOf, range),
    bars,
    retiming: { tempo, meter, bars, takes: 'bars' },
  };
}
