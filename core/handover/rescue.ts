import { newSong } from '../document/document';
import type { MidiSong } from '../files/smf';
import { change } from '../song/changes';
import { songReader } from '../reading/reading';
import { closedWhereCutOff } from '../song/recovery';
import type { LayerEvent, LayerHeader } from '../takes/layer';
import { barAt, meterMap } from '../time/meter';
import { tickAt, tempoMap } from '../time/tempo';
import { midiSongOf } from './midi';

/** Layer with its events, without its song. */
export interface RescuedLayer {
  readonly header: LayerHeader;
  /** Events as they arrived, in song seconds. */
  readonly events: readonly LayerEvent[];
}

/**
 * MIDI file of a pass's layers from bar 1, a track for each, at the tempo of the first; for layers whose song cannot be
 * had.
 * @throws RangeError without layers
 */
export function midiOfLayers(layers: readonly RescuedLayer[]): MidiSong {
  const [first] = layers;
  if (!first) throw new RangeError('There is no layer.');
  const { tempo, partId } = first.header;
  const plain = newSong('Rescued notes', partId);
  const last = layers.flatMap((l) => l.events).reduce((latest, { at }) => Math.max(latest, at), 0);
  const bars = barAt(meterMap(plain.meter), tickAt(tempoMap(tempo), last)) + 1;
  const song = { ...plain, bars, tempo };
  const files = layers.map(({ header, events }) => {
    const own = { ...header, partId };
    const { layer, result } = closedWhereCutOff({ header: own, mode: 'new take', closing: null, events });
    const played = result ? change(song, { type: 'record', result, at: header.startedAt }).document : song;
    return midiSongOf(played, played.parts, songReader(played, new Map([[own.id, layer]])).read);
  });
  return { ...files[0]!, tracks: files.flatMap((f) => f.tracks) };
}
