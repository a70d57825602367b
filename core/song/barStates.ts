import type { SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import type { Part } from '../document/part';
import { fingerprint } from '../document/take';
import type { Reading } from '../performance/notes';
import { barAt, type MeterMap } from '../time/meter';
import { lineOf, readerOf, type Layers } from './reading';

/** How far a bar of a part has come. */
export type BarState = 'empty' | 'pencilled' | 'inked' | 'tidied' | 'handed over';

/**
 * What each bar of a line sounds like, bar 1 first, as short text that is empty where nothing is struck or moved: the
 * same text, the same notes and controllers, to the tick, as a file has them.
 */
export function barSigns({ notes, controls }: Reading, meter: MeterMap, bars: number): string[] {
  const said: (string | number)[][] = Array.from({ length: bars }, () => []);
  const inBar = (at: number) => said[Math.max(1, barAt(meter, at)) - 1];
  for (const { start, end, key, velocity, release } of notes)
    inBar(start)?.push(Math.round(start), Math.round(end), key, velocity, release);
  for (const { at, message } of controls) inBar(at)?.push(Math.round(at), JSON.stringify(message));
  return said.map((events) => (events.length > 0 ? fingerprint(JSON.stringify(events)) : ''));
}

/** The state of each bar, bar 1 first: a strip of the Desk. */
export function barStates(part: Part, layers: Layers, song: SongDocument): BarState[] {
  const maps = mapsOf(song);
  const { read } = readerOf(layers, song.clocks);
  const line = lineOf(part, read, maps);
  const barOf = (note: { readonly start: number }): number => Math.max(1, barAt(maps.meter, note.start));
  const heard = new Set(line.notes.map(barOf));
  const played = new Set<number>();
  for (const take of part.takes) for (const note of read(take).notes) played.add(barOf(note));
  const signs = part.handed ? barSigns(line, maps.meter, song.bars) : [];
  return Array.from({ length: song.bars }, (_, i) => {
    const bar = i + 1;
    if (!heard.has(bar)) return played.has(bar) ? 'pencilled' : 'empty';
    if (part.handed && part.handed.bars[i] === signs[i]) return 'handed over';
    const treated = part.treatments.some((t) => barAt(maps.meter, t.from) <= bar && barAt(maps.meter, t.to - 1) >= bar);
    return treated ? 'tidied' : 'inked';
  });
}
