import type { SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { barFingerprints } from '../reading/barStates';
import { change } from '../song/changes';
import { lineOf, takeReader, type Layers } from '../reading/reading';

/** The song after all of its parts were handed over. */
export function handedOver(song: SongDocument, layers: Layers, version = 1): SongDocument {
  const maps = mapsOf(song);
  const read = takeReader(layers, song.clocks);
  const parts = song.parts.map((p) => ({
    id: p.id,
    bars: barFingerprints(lineOf(p, read, maps), maps.meter, song.bars),
  }));
  return change(song, { type: 'hand over', parts, version, at: '' }).document;
}
