import { DamagedFile } from '../files/damaged';
import {
  FASTEST_BPM,
  LONGEST_NAME,
  MOST_PARTS,
  MOST_SECTION_BARS,
  MOST_SECTIONS,
  SLOWEST_BPM,
} from '../vocabulary/limits';
import { DRUM_CHANNEL } from '../vocabulary/sounds';
import { readMidiFile, type MidiSong, type MidiTrack } from '../files/smf';
import { soundOfProgram, type Sound } from '../vocabulary/sounds';
import { barAt, meterMap } from '../time/meter';
import { secondsAt, tempoMap } from '../time/tempo';
import type { Seconds } from '../time/units';
import type { Layer } from '../takes/layer';
import { newBrief } from '../document/brief';
import { newPart } from '../document/part';
import { newTake } from '../document/take';
import { PLAIN, songSchema, type SongDocument } from '../document/document';
import { DOCUMENT_VERSION } from '../document/versions';
import type { Section } from '../document/section';
import { mapsOf } from '../document/maps';

/**
 * Sections between markers, and one ahead of the first. A section longer than a song allows is split into two of its
 * name; markers beyond the allowed number are dropped, and the last section covers their bars.
 */
function sectionsFrom(file: MidiSong, bars: number, newId: () => string): Section[] {
  const meter = meterMap(file.meter);
  const starts = new Map<number, string>();
  for (const { tick, text } of file.markers) {
    const bar = barAt(meter, tick);
    const name = text.trim().slice(0, LONGEST_NAME).trim();
    if (bar >= 1 && bar <= bars && name) starts.set(bar, name);
  }
  if (starts.size && !starts.has(1)) starts.set(1, 'Start');
  const sorted = [...starts].sort(([a], [b]) => a - b);
  const room = MOST_SECTIONS - Math.ceil(bars / MOST_SECTION_BARS);
  const kept = sorted.slice(0, room);
  return kept.flatMap(([bar, name], i) => {
    const length = (kept[i + 1]?.[0] ?? bars + 1) - bar;
    return Array.from({ length: Math.ceil(length / MOST_SECTION_BARS) }, (_, k): Section => ({
      id: newId(),
      name,
      bars: Math.min(MOST_SECTION_BARS, length - k * MOST_SECTION_BARS),
      pattern: null,
    }));
  });
}

function programOf(track: MidiTrack): number {
  const program = track.events.find((e) => e.message.type === 'program')?.message;
  return program?.type === 'program' ? program.value : 0;
}

/** Form of a song in a MIDI file. */
export interface MidiForm {
  readonly tempo: MidiSong['tempo'];
  readonly meter: MidiSong['meter'];
  readonly bars: number;
  readonly sections: readonly Section[];
}

/** @throws DamagedFile for a file with more than a song can hold */
export function midiForm(file: MidiSong, newId: () => string): MidiForm {
  const bars = Math.max(1, barAt(meterMap(file.meter), Math.max(0, file.end - 1)));
  if (file.tempo.some((t) => t.bpm < SLOWEST_BPM || t.bpm > FASTEST_BPM))
    throw new DamagedFile(`The MIDI file has a tempo outside ${SLOWEST_BPM} to ${FASTEST_BPM} quarter notes a minute.`);
  return { tempo: file.tempo, meter: file.meter, bars, sections: sectionsFrom(file, bars, newId) };
}

/** Track that can be played along to. */
export interface OfferedTrack {
  /** Index among the file's tracks. */
  readonly track: number;
  readonly name: string;
  readonly program: number;
  readonly drums: boolean;
  readonly notes: number;
  readonly length: Seconds;
}

/** Tracks with notes, with the sound that each asks for. */
export function midiTracks(file: MidiSong): OfferedTrack[] {
  const tempo = tempoMap(file.tempo);
  return file.tracks.flatMap((track, index) => {
    const notes = track.events.filter((e) => e.message.type === 'noteOn').length;
    if (notes === 0) return [];
    const drums = track.channel === DRUM_CHANNEL;
    const name = track.name.slice(0, LONGEST_NAME) || (drums ? 'Drums' : `Track ${index + 1}`);
    return [
      {
        track: index,
        name,
        program: programOf(track),
        drums,
        notes,
        length: Math.max(0, secondsAt(tempo, track.events.at(-1)!.at)),
      },
    ];
  });
}

function soundOf(track: MidiTrack): Sound {
  const value = programOf(track);
  return value === undefined ? 'full grand' : soundOfProgram(value);
}

/** @throws DamagedFile for a song that breaks a limit, so that this is found before saving */
function validSong(document: SongDocument): SongDocument {
  const checked = songSchema.safeParse(document);
  if (checked.success) return checked.data;
  const [issue] = checked.error.issues;
  throw new DamagedFile(
    `The MIDI file holds something that a song cannot (${issue!.path.join(' ')}: ${issue!.message}).`,
  );
}

/**
 * Song from a Standard MIDI File: tempo, meter and sections, and a part with one take for each track. Drum tracks are
 * left out.
 * @param name file name, for a file without a title
 * @throws DamagedFile when the file cannot be read or holds more than a song can
 */
export function songFromMidi(
  bytes: Uint8Array,
  name: string,
  newId: () => string,
  at: string,
): { document: SongDocument; layers: Layer[] } {
  const file = readMidiFile(bytes);
  const tracks = file.tracks.filter(
    (t) => t.channel !== DRUM_CHANNEL && t.events.some((e) => e.message.type === 'noteOn'),
  );
  if (tracks.length > MOST_PARTS)
    throw new DamagedFile(
      `The MIDI file has ${tracks.length} tracks with notes; a song has at most ${MOST_PARTS} parts.`,
    );
  const { tempo, bars, sections } = midiForm(file, newId);
  const { end } = mapsOf({ tempo, meter: file.meter, bars });
  const map = tempoMap(tempo);
  const layers: Layer[] = [];
  const parts = tracks.map((track, i) => {
    const part = newPart(
      { id: newId(), name: track.name.slice(0, LONGEST_NAME).trim() || `Track ${i + 1}`, sound: soundOf(track) },
      i,
    );
    const range = { from: 0, to: end };
    const header = {
      id: newId(),
      partId: part.id,
      passId: newId(),
      takeId: newId(),
      source: 'file' as const,
      from: name.slice(0, 200),
      startedAt: at,
      tempo,
      latency: { output: 0, input: 0 },
      placement: part.placement,
      planned: range,
      early: 0,
      quantize: null,
    };
    const events = track.events.map((e) => ({ at: secondsAt(map, e.at), message: e.message }));
    layers.push({ header, closing: { range, clears: [] }, events });
    const take = newTake({
      id: header.takeId,
      number: 1,
      layers: [header.id],
      ...range,
      placement: part.placement,
      at,
    });
    return { ...part, takes: [take], comp: [{ ...range, takeId: take.id }] };
  });
  const title = (file.title.trim() || name.replace(/\.midi?$/i, '').trim() || 'Untitled').slice(0, LONGEST_NAME).trim();
  return {
    document: validSong({
      version: DOCUMENT_VERSION,
      title,
      bars,
      tempo: [...tempo],
      meter: [...file.meter],
      sections: [...sections],
      backings: [],
      parts,
      ...PLAIN,
      key: file.key ?? null,
      brief: newBrief(parts[0]?.id ?? null),
    }),
    layers,
  };
}
