import type { SongDocument } from '../document/document';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { newPart, type Part } from '../document/part';
import { newTake, type Take } from '../document/take';
import { checksOf, type Check } from '../handover/checks';
import type { LayerEvent, Layer } from '../takes/layer';
import { HEARD, layer } from './layers';

/** A part of one take over a song of eight bars at 120, in beats. */
export function played(
  id: string,
  events: LayerEvent[],
  over: Partial<Part> = {},
  takeOver: Partial<Take> = {},
): { readonly part: Part; readonly layers: [string, Layer][] } {
  const range = { from: 0, to: 32 * 960 };
  const take = newTake({
    ...{ id: `take of ${id}`, number: 1, layers: [id], ...range, placement: HEARD, at: '' },
    ...takeOver,
  });
  const made = layer(id, 0, 32, events, {}, { partId: id });
  const part = { ...newPart({ id, name: id }, 0), takes: [take], comp: [{ ...range, takeId: take.id }], ...over };
  return { part, layers: [[id, made]] };
}

export function songOf(parts: readonly Part[], over: Partial<SongDocument> = {}): SongDocument {
  return { ...newSong('Low Tide', 'none'), tempo: [{ tick: 0, bpm: 120 }], bars: 8, parts: [...parts], ...over };
}

/** Findings in a song of such parts. */
export function foundIn(
  all: readonly ReturnType<typeof played>[],
  over: Partial<SongDocument> = {},
): { readonly song: SongDocument; readonly checks: Check[]; readonly layers: Map<string, Layer> } {
  const song = songOf(
    all.map((p) => p.part),
    over,
  );
  const layers = new Map(all.flatMap((p) => p.layers));
  return { song, layers, checks: checksOf(song, song.parts, layers, mapsOf(song)) };
}
