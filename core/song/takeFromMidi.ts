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

/** A file that can be a take, with the tracks of it that have notes. */
export interface OfferedFile {
  readonly name: string;
  readonly file: MidiSong;
  readonly tracks: readonly OfferedTrack[];
  /** The track that bears the part's name, or the only one there is; null where it has to be chosen. */
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
 * A track of a file as what a pass of a part would have recorded: its notes on the song's own bars, from bar 1 on,
 * whatever tempo the file says.
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
  // It is what the song sounds like now, as what was handed over is.
  const transposition = transpositionOf(song.transposition, meter);
  const { events } = file.tracks[tracks.find((t) => t.track === track)!.track]!;
  const last = events.reduce((latest, e) => Math.max(latest, e.at), 0);
  const range = { from: 0, to: barStart(meter, barAt(meter, last) + 1) };
  return {
    header: {
      ...{ id: newId(), partId: part.id, passId: newId(), takeId: newId(), source: 'file', from: name.slice(0, 200) },
      ...{ startedAt: at, tempo: song.tempo, latency: { output: 0, input: 0 }, early: 0, quantize: null },
      // A file lies where it lies: nobody heard a click.
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
