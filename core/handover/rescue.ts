import { newSong } from '../document/document';
import type { MidiSong } from '../files/smf';
import { change } from '../song/changes';
import { takeReader } from '../song/reading';
import { closedWhereCutOff } from '../song/recovery';
import type { LayerEvent, LayerHeader } from '../takes/layer';
import { barAt, meterMap } from '../time/meter';
import { tickAt, tempoMap } from '../time/tempo';
import { midiSongOf } from './midi';

/**
 * What was played into one layer, as a file of its own from bar 1, in the tempo it was played to: for notes whose song
 * is not to be had.
 * @param header as the layer was opened
 * @param events as they arrived, in seconds of the song
 */
export function midiOfEvents(header: LayerHeader, events: readonly LayerEvent[]): MidiSong {
  const plain = newSong('Rescued notes', header.partId);
  const last = events.reduce((latest, { at }) => Math.max(latest, at), 0);
  const bars = barAt(meterMap(plain.meter), tickAt(tempoMap(header.tempo), last)) + 1;
  const song = { ...plain, bars, tempo: header.tempo };
  const { layer, result } = closedWhereCutOff({ header, mode: 'new take', closing: null, events });
  const played = result ? change(song, { type: 'record', result, at: header.startedAt }).document : song;
  return midiSongOf(played, played.parts, takeReader(new Map([[header.id, layer]]), played.clocks));
}
