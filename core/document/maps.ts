import type { Pattern } from '../backing/patterns';
import { barStart, meterMap, type MeterMap } from '../time/meter';
import { secondsAt, tempoMap, type TempoMap } from '../time/tempo';
import { CLOCK_PRECISION, type Seconds, type TickRange, type Ticks } from '../time/units';
import type { SongDocument } from './document';

export interface SongMaps {
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
  readonly end: Ticks;
  readonly endSeconds: Seconds;
}

/** Compiled maps of a song. */
export function mapsOf(song: Pick<SongDocument, 'tempo' | 'meter' | 'bars'>): SongMaps {
  const tempo = tempoMap(song.tempo);
  const meter = meterMap(song.meter);
  const end = barStart(meter, song.bars + 1);
  return { tempo, meter, end, endSeconds: secondsAt(tempo, end) };
}

/** True if a roll that halted at a time came to the song's end. */
export const reachesEnd = ({ endSeconds }: SongMaps, at: Seconds): boolean => at >= endSeconds - CLOCK_PRECISION;

export interface PlacedSection extends TickRange {
  readonly name: string;
  readonly pattern: Pattern | null;
  readonly firstBar: number;
  /** Included. */
  readonly lastBar: number;
}

/** Sections with their places; bars after the last are a section without a name. */
export function sectionsOf(song: SongDocument, meter: MeterMap): PlacedSection[] {
  const placed: PlacedSection[] = [];
  let bar = 1;
  const add = (name: string, bars: number, pattern: Pattern | null) => {
    const last = Math.min(song.bars, bar + bars - 1);
    if (last < bar) return;
    placed.push({
      name,
      pattern,
      firstBar: bar,
      lastBar: last,
      from: barStart(meter, bar),
      to: barStart(meter, last + 1),
    });
    bar = last + 1;
  };
  song.sections.forEach((s) => add(s.name, s.bars, s.pattern));
  add('', song.bars - bar + 1, null);
  return placed;
}
