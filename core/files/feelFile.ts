import type { Note } from '../performance/notes';
import { eventsFromReading, notesFromEvents } from '../performance/notes';
import { barStart, meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { TICKS_PER_QUARTER, type Ticks } from '../time/units';
import type { Feel } from '../timing/feel';
import { feelOfNotes } from '../timing/takingFeel';
import { DamagedFile } from './damaged';
import { readMidiFile, writeMidiFile } from './smf';

/** Tempo at which two ticks are a millisecond. */
const BPM = 125;
const TICKS_A_MS = 2;
const MIDDLE_VELOCITY = 64;
const [LINES, FEEL] = ['Lines', 'Feel'] as const;
const LENGTH: Ticks = 40;

const touchOf = (touch: number): number => Math.max(1, Math.min(127, Math.round(MIDDLE_VELOCITY + touch)));

/**
 * Feel as a Standard MIDI File: one track with the grid lines and one with the notes, in bar 2, as a note can be ahead
 * of the first beat.
 */
export function writeFeel(feel: Feel): Uint8Array {
  const quarters = feel.bar / TICKS_PER_QUARTER;
  const isWhole = Math.abs(quarters - Math.round(quarters)) < 1e-6;
  const meter = isWhole
    ? { bar: 1, beats: Math.round(quarters), unit: 4 }
    : { bar: 1, beats: Math.max(1, Math.round(quarters * 4)), unit: 16 };
  const track = (name: string, channel: number, key: number, at: (place: Feel['places'][number]) => Ticks) => ({
    ...{ name, channel },
    events: eventsFromReading(
      {
        notes: feel.places.map((place, i): Note => {
          const start = feel.bar + at(place);
          return { id: `${name}:${i}`, key, velocity: touchOf(place.touch), release: 64, start, end: start + LENGTH };
        }),
        controls: [],
      },
      true,
    ),
  });
  return writeMidiFile({
    ...{ title: feel.name, tempo: [{ tick: 0, bpm: BPM }], meter: [meter], markers: [], end: 2 * feel.bar },
    tracks: [track(LINES, 0, 36, (p) => p.at), track(FEEL, 1, 38, (p) => p.at + p.ms * TICKS_A_MS)],
  });
}

/**
 * Reads a feel from a Standard MIDI File: a saved feel, or any other file, whose notes are compared with sixteenths.
 * @throws DamagedFile for a file without notes, or no MIDI file
 */
export function readFeel(bytes: Uint8Array, name: string): Feel {
  const song = readMidiFile(bytes);
  const notesOf = (index: number): readonly Note[] =>
    notesFromEvents(song.tracks[index]?.events ?? [], song.end, `track ${index}`);
  const [lines, feel] = [LINES, FEEL].map((n) => song.tracks.findIndex((t) => t.name === n)) as [number, number];
  const meter = meterMap(song.meter);
  const title = song.title.trim().slice(0, 60) || name.slice(0, 60) || 'Feel';
  if (lines >= 0 && feel >= 0) {
    const bar = barStart(meter, 2);
    const [written, struck] = [notesOf(lines), notesOf(feel)];
    if (written.length > 0 && written.length === struck.length)
      return {
        ...{ name: title, bar },
        places: written
          .map((line, i) => ({
            at: line.start - bar,
            ms: (struck[i]!.start - line.start) / TICKS_A_MS,
            touch: struck[i]!.velocity - MIDDLE_VELOCITY,
          }))
          .filter((p) => p.at >= 0 && p.at < bar && Math.abs(p.ms) <= 500),
      };
  }
  const notes = song.tracks.flatMap((_, i) => notesOf(i)).sort((a, b) => a.start - b.start);
  const clock = { tempo: tempoMap(song.tempo), meter };
  const found = feelOfNotes(title, notes, '16 straight', clock, { from: 0, to: Math.max(song.end, 1) });
  if (!found) throw new DamagedFile('The MIDI file has no notes, so there is no feel in it.');
  return found;
}
