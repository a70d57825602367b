import type { SongDocument } from '../document/document';
import type { Part } from '../document/part';
import { DamagedFile } from '../files/damaged';
import { readMidiFile, type MidiSong } from '../files/smf';
import type { Layer } from '../takes/layer';
import { barAt, barStart } from '../time/meter';
import { secondsAt } from '../time/tempo';
import { mapsOf } from '../document/maps';
import { transpositionOf } from '../document/transposition';
import { midiTracks, type OfferedTrack } from './fromMidi';

/** MIDI file that can become a take, with its tracks that have notes. */
export interface OfferedFile {
  readonly name: string;
  readonly file: MidiSong;
  readonly tracks: readonly OfferedTrack[];
  /** Track with the part's name, or the only one; null where the player has to select one. */
  readonly likely: OfferedTrack | null;
}

/** @throws DamagedFile when it cannot be read or has no notes */
export function offerTake(bytes: Uint8Array, name: string, part: Pick<Part, 'name'>): OfferedFile {
  const file = readMidiFile(bytes);
  const tracks = midiTracks(file);
  if (tracks.length === 0) throw new DamagedFile('There are no notes in the MIDI file.');
  const named = tracks.filter((t) => t.name.trim().toLowerCase() === part.name.trim().toLowerCase());
  const likely = named.length === 1 ? named[0]! : null;
  return { name, file, tracks, likely: likely ?? (tracks.length === 1 ? tracks[0]! : null) };
}

/**
 * Layer of a MIDI track, as a pass would have recorded it: notes at their bars from bar 1 on, whatever the file's
 * tempo.
 */
export function layerOfTrack(
  { name, file, tracks }: OfferedFile,
  track: number,
  part: Pick<Part, 'id'>,
  song: SongDocument,
  newId: () => string,
  at: string,
): Layer {
  const { tempo, meter } = mapsOf(song);
  // Its notes are as the song sounds now, like those that were handed over.
  const transposition = transpositionOf(song.transposition, meter);
  const { events } = file.tracks[tracks.find((t) => t.track === track)!.track]!;
  const last = events.reduce((latest, e) => Math.max(latest, e.at), 0);
  const range = { from: 0, to: barStart(meter, barAt(meter, last) + 1) };
  return {
    header: {
      ...{ id: newId(), partId: part.id, passId: newId(), takeId: newId(), source: 'file', from: name.slice(0, 200) },
      ...{ startedAt: at, tempo: song.tempo, latency: { output: 0, input: 0 }, early: 0, quantize: null },
      // Nothing was heard while it was made, so it is placed as heard.
      placement: { policy: 'heard', nudge: 0 },
      ...(transposition.length > 0 ? { transposition } : {}),
      planned: range,
    },
    closing: { range, clears: [] },
    events: events
      .filter((e) => e.message.type !== 'program')
      .map((e) => ({ at: secondsAt(tempo, e.at), message: e.message })),
  };
}
