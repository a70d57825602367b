import { readTake } from '../takes/take';
import { readComp } from '../takes/line';
import type { Layer } from '../takes/layer';
import { treat, type Treatment, type TreatedReading } from '../timing/treatment';
import { SILENCE, type Reading } from '../performance/notes';
import { barStart, meterMap, type MeterMap } from '../time/meter';
import { secondsAt, tempoMap, type TempoMap } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import type { Part, SongDocument, Take } from './document';

export interface SongMaps {
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
  readonly end: Ticks;
  readonly endSeconds: Seconds;
}

/** The song's maps, compiled. */
export function mapsOf(song: Pick<SongDocument, 'tempo' | 'meter' | 'bars'>): SongMaps {
  const tempo = tempoMap(song.tempo);
  const meter = meterMap(song.meter);
  const end = barStart(meter, song.bars + 1);
  return { tempo, meter, end, endSeconds: secondsAt(tempo, end) };
}

export interface PlacedSection extends TickRange {
  readonly name: string;
  readonly firstBar: number;
  /** Included. */
  readonly lastBar: number;
}

/** The sections with their places; bars after the last are a section without a name. */
export function sectionsOf(song: SongDocument, meter: MeterMap): PlacedSection[] {
  const placed: PlacedSection[] = [];
  let bar = 1;
  const add = (name: string, bars: number) => {
    const last = Math.min(song.bars, bar + bars - 1);
    if (last < bar) return;
    placed.push({ name, firstBar: bar, lastBar: last, from: barStart(meter, bar), to: barStart(meter, last + 1) });
    bar = last + 1;
  };
  song.sections.forEach((s) => add(s.name, s.bars));
  add('', song.bars - bar + 1);
  return placed;
}

/** Where layers are found; a layer that is missing reads as silence. */
export type Layers = ReadonlyMap<string, Layer>;

export const readTakeOf = (take: Take, layers: Layers): Reading =>
  readTake(take.layers.flatMap((id) => layers.get(id) ?? []), take.placement);

/** Reads a take; a caller that reads the same ones again may give one that remembers. */
export type TakeReader = (take: Take) => Reading;

/** The line before its treatment. */
export function readPart(part: Part, read: TakeReader): Reading {
  return readComp(part.comp, (takeId) => {
    const take = part.takes.find((t) => t.id === takeId);
    return take ? read(take) : SILENCE;
  });
}

/** A reader that reads each take once. It is good for as long as the layers are. */
export function takeReader(layers: Layers): TakeReader {
  const known = new WeakMap<Take, Reading>();
  return (take) => {
    const reading = known.get(take) ?? readTakeOf(take, layers);
    known.set(take, reading);
    return reading;
  };
}

/** The line as heard, drawn and handed over. `treatments` may be given in place of the part's own, for a preview. */
export const lineOf = (part: Part, read: TakeReader, meter: MeterMap, treatments: readonly Treatment[] = part.treatments): TreatedReading =>
  treat(readPart(part, read), treatments, meter);

/** How far a bar of a part has come. */
export type BarState = 'empty' | 'pencilled' | 'inked' | 'tidied';

/** The state of each bar, bar 1 first: a strip of the Desk. */
export function barStates(part: Part, layers: Layers, song: SongDocument): BarState[] {
  const { meter } = mapsOf(song);
  const read = takeReader(layers);
  const line = readPart(part, read).notes;
  const played = part.takes.flatMap((take) => read(take).notes);
  return Array.from({ length: song.bars }, (_, i) => {
    const from = barStart(meter, i + 1);
    const to = barStart(meter, i + 2);
    const within = (note: { readonly start: Ticks }) => note.start >= from && note.start < to;
    if (line.some(within)) return part.treatments.some((t) => t.from < to && t.to > from) ? 'tidied' : 'inked';
    return played.some(within) ? 'pencilled' : 'empty';
  });
}
