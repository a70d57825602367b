import type { Pattern } from '../backing/patterns';
import { readTake, type Placed } from '../takes/take';
import { readComp } from '../takes/line';
import type { Layer } from '../takes/layer';
import { treat, type Treatment, type TreatedReading } from '../timing/treatment';
import { layerOfNote, SILENCE, type Reading } from '../performance/notes';
import { barStart, meterMap, type MeterMap } from '../time/meter';
import { secondsAt, tempoMap, type TempoMap } from '../time/tempo';
import type { Seconds, TickRange, Ticks } from '../time/units';
import { warpBetween, type Warp } from '../time/warp';
import { takeSign, type Part, type SongDocument, type Take } from './document';

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
  readonly pattern: Pattern | null;
  readonly firstBar: number;
  /** Included. */
  readonly lastBar: number;
}

/** The sections with their places; bars after the last are a section without a name. */
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

/** Where layers are found; a layer that is missing reads as silence. */
export type Layers = ReadonlyMap<string, Layer>;
/** The tempo maps a song once had. */
export type Clocks = SongDocument['clocks'];

/** How a take's layer has moved since it was recorded: each change of tempo it sat out, in turn. */
export function warpOf(take: Pick<Take, 'warps'>, clocks: Clocks, index: number): Warp | undefined {
  const steps = take.warps.flatMap(({ layers, from, to, shift }) => {
    const [a, b] = [clocks[from], clocks[to]];
    return index < layers && a && b ? [warpBetween(tempoMap(a), tempoMap(b), shift)] : [];
  });
  return steps.length ? (tick) => steps.reduce((at, step) => step(at), tick) : undefined;
}

export function readTakeOf(take: Take, layers: Layers, clocks: Clocks): Reading {
  const placed = take.layers.flatMap((id, index): Placed[] => {
    const layer = take.muted.includes(id) ? undefined : layers.get(id);
    return layer ? [{ layer, warp: warpOf(take, clocks, index), windows: take.windows[id] }] : [];
  });
  return readTake(placed, take.placement);
}

/** Reads a take; a caller that reads the same ones again may give one that remembers. */
export type TakeReader = (take: Take) => Reading;

/**
 * The line before its treatment. A note rings on over a join behind which its own recording had ended, as a note held
 * over a punch-out may, and where what follows holds the same pass.
 */
export function readPart(part: Part, read: TakeReader): Reading {
  const takes = new Map(part.takes.map((t) => [t.id, t]));
  return readComp(
    part.comp,
    (takeId) => {
      const take = takes.get(takeId);
      return take ? read(take) : SILENCE;
    },
    (note, stretch, next) => {
      if (note.until !== undefined && note.until <= stretch.to) return true;
      return next !== undefined && (takes.get(next.takeId)?.layers.includes(layerOfNote(note)) ?? false);
    },
  );
}

/** A reader that reads each take once. It is good for as long as the layers and the former tempos are. */
export function takeReader(layers: Layers, clocks: Clocks): TakeReader {
  const known = new WeakMap<Take, Reading>();
  return (take) => {
    const reading = known.get(take) ?? readTakeOf(take, layers, clocks);
    known.set(take, reading);
    return reading;
  };
}

/** The line as heard, drawn and handed over. `treatments` may be given in place of the part's own, for a preview. */
export const lineOf = (
  part: Part,
  read: TakeReader,
  meter: MeterMap,
  treatments: readonly Treatment[] = part.treatments,
): TreatedReading => treat(readPart(part, read), treatments, meter);

/** How far a bar of a part has come. */
export type BarState = 'empty' | 'pencilled' | 'inked' | 'tidied' | 'handed over';

/** What decides how a stretch of a part sounds, as text: the same text, the same line. */
function recipeOf(
  comp: Part['comp'],
  treatments: Part['treatments'],
  signs: Readonly<Record<string, string>>,
  from: Ticks,
  to: Ticks,
): string {
  const cut = <T extends TickRange>(all: readonly T[]) =>
    all
      .filter((r) => r.from < to && r.to > from)
      .map((r) => ({ ...r, from: Math.max(from, r.from), to: Math.min(to, r.to) }));
  return JSON.stringify([
    cut(comp).map((p) => [p.from, p.to, p.takeId, signs[p.takeId]]),
    cut(treatments).map((t) => [t.from, t.to, t.grid, t.strength, t.ends, t.layers ?? null]),
  ]);
}

/** The state of each bar, bar 1 first: a strip of the Desk. */
export function barStates(part: Part, layers: Layers, song: SongDocument): BarState[] {
  const { meter } = mapsOf(song);
  const read = takeReader(layers, song.clocks);
  const line = readPart(part, read).notes;
  const played = part.takes.flatMap((take) => read(take).notes);
  const signs = Object.fromEntries(part.takes.map((t) => [t.id, takeSign(t)]));
  return Array.from({ length: song.bars }, (_, i) => {
    const from = barStart(meter, i + 1);
    const to = barStart(meter, i + 2);
    const within = (note: { readonly start: Ticks }) => note.start >= from && note.start < to;
    if (line.some(within) && part.handed) {
      const { comp, treatments, takes } = part.handed;
      if (recipeOf(comp, treatments, takes, from, to) === recipeOf(part.comp, part.treatments, signs, from, to))
        return 'handed over';
    }
    if (line.some(within)) return part.treatments.some((t) => t.from < to && t.to > from) ? 'tidied' : 'inked';
    return played.some(within) ? 'pencilled' : 'empty';
  });
}
