import type { SongDocument } from '../document/document';
import type { Part } from '../document/part';
import type { Join, Take } from '../document/take';
import { layerOfNote, SILENCE, type Reading } from '../performance/notes';
import type { Layer } from '../takes/layer';
import { readComp, withLanes } from '../takes/line';
import { readTake, type Placed } from '../takes/take';
import type { MeterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { warpBetween, type Warp } from '../time/warp';
import { treat, type Treatment, type TreatedReading } from '../timing/treatment';

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
  const takeOf = (takeId: string): Reading => {
    const take = takes.get(takeId);
    return take ? read(take) : SILENCE;
  };
  const comp = readComp(
    part.comp,
    takeOf,
    (note, stretch, next) => {
      if (note.until !== undefined && note.until <= stretch.to) return true;
      return next !== undefined && (takes.get(next.takeId)?.layers.includes(layerOfNote(note)) ?? false);
    },
    (before, after) =>
      part.joins.find((j) => j.at === before.to && j.before === before.takeId && j.after === after.takeId),
  );
  return part.lanes.length > 0 ? withLanes(comp, part.lanes, takeOf) : comp;
}

/** Whether the two takes of a join meet there in the comp. */
export const isJoin = (comp: Part['comp'], { at, before, after }: Pick<Join, 'at' | 'before' | 'after'>): boolean =>
  comp.some((p) => p.to === at && p.takeId === before) && comp.some((p) => p.from === at && p.takeId === after);

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
