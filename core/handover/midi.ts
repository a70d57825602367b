import type { Marker, MidiSong, MidiTrack } from '../files/smf';
import { eventsFromReading, type Note, type PlacedEvent, type Reading } from '../performance/notes';
import { asItWasPlayed, lineOf, type TakeReader } from '../reading/reading';
import { mapsOf, sectionsOf, type SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { keyInBar } from '../document/transposition';
import { barStart } from '../time/meter';
import type { SongDocument } from '../document/document';
import { fileChannelOf, programOf } from '../vocabulary/sounds';
import { secondsAt, type TempoChange, type TempoMap } from '../time/tempo';
import { TICKS_PER_QUARTER, type Ticks } from '../time/units';

/** A file has jumps only: a ramp becomes steps of a sixteenth, each with its average tempo. */
const RAMP_STEP: Ticks = TICKS_PER_QUARTER / 4;

/** Largest correction of a step's tempo for accumulated rounding, as a share. */
const MOST_CATCHING_UP = 0.001;

/**
 * Tempo changes without ramps. Bar lines keep their times: a step's tempo is its exact average, less what
 * rounding to whole microseconds a quarter has left over so far.
 * @param resolution ticks to a quarter that the file has: changes stand on those
 */
export function withoutRamps(map: TempoMap, end: Ticks, resolution = TICKS_PER_QUARTER): TempoChange[] {
  // A file begins at bar 1, where a missing tempo means 120.
  const points: Ticks[] = [0];
  const own = TICKS_PER_QUARTER / resolution;
  // A change between two ticks of the file gives the step between them the average of both tempos.
  const add = (tick: Ticks) => {
    for (const there of [Math.floor(tick / own) * own, Math.ceil(tick / own) * own])
      if (there > points.at(-1)!) points.push(there);
  };
  map.changes.forEach((change, i) => {
    add(change.tick);
    const next = map.changes[i + 1];
    if (change.ramp !== 'linear' || !next) return;
    // Steps lie on the song's sixteenths, which include all beats and bar lines.
    const first = (Math.floor(change.tick / RAMP_STEP) + 1) * RAMP_STEP;
    for (let tick = first; tick < next.tick; tick += RAMP_STEP) add(tick);
  });
  let clock = secondsAt(map, points[0]!);
  return points.map((tick, i) => {
    const to = points[i + 1] ?? Math.max(end, tick + TICKS_PER_QUARTER);
    const quarters = (to - tick) / TICKS_PER_QUARTER;
    const exact = ((secondsAt(map, to) - secondsAt(map, tick)) * 1e6) / quarters;
    // A short step corrects little of the accumulated rounding, and leaves the rest to later ones.
    const caughtUp = ((secondsAt(map, to) - clock) * 1e6) / quarters;
    const micros = Math.round(
      Math.max(exact * (1 - MOST_CATCHING_UP), Math.min(exact * (1 + MOST_CATCHING_UP), caughtUp)),
    );
    clock += (micros * quarters) / 1e6;
    return { tick, bpm: 60e6 / micros };
  });
}

/** Notes of a line inside the song; one struck ahead of bar 1 begins there. */
export const notesInSong = (notes: readonly Note[], end: Ticks): Note[] =>
  notes.filter((n) => n.end > 0 && n.start < end).map((n) => (n.start < 0 ? { ...n, start: 0 } : n));

/** Number of notes that no file can have: over before bar 1, or after the song's end. */
export function notesLeftOut(line: Reading, end: Ticks): number {
  return line.notes.length - notesInSong(line.notes, end).length;
}

/**
 * Bias that rounds a place halfway between two ticks to the later one. Otherwise rounding errors could put two notes of
 * a chord on different ticks.
 */
const HALFWAY = 1e-5;

/** Events on the file's ticks, each moved to the nearest. */
function onTicks({ notes, controls }: Reading, resolution: number): PlacedEvent[] {
  const scale = resolution / TICKS_PER_QUARTER;
  const scaled = {
    notes: notes.map((n) => ({ ...n, start: n.start * scale + HALFWAY, end: n.end * scale + HALFWAY })),
    controls: controls.map((c) => ({ ...c, at: c.at * scale + HALFWAY })),
  };
  return eventsFromReading(scaled, true).map((e) => ({ ...e, at: e.at / scale }));
}

/** Options for a song's MIDI file. */
export interface MidiWish {
  /** True for notes as played, without hand edits and treatments. */
  readonly played?: boolean;
  /** Ticks to a quarter note. */
  readonly resolution?: number;
  readonly markers?: boolean;
  /** True to include the song's tuning. */
  readonly tuned?: boolean;
}

/**
 * Messages that tune a channel (MIDI 1.0, registered parameter 1, where 8192 is no change and 8192 steps are a
 * semitone) and deselect the parameter, so that later data entry does not change it.
 */
function fineTuning(cents: number): PlacedEvent[] {
  if (cents === 0) return [];
  const value = Math.max(0, Math.min(16_383, Math.round(8192 * (1 + cents / 100))));
  const [msb, lsb] = [value >> 7, value & 127];
  return [
    [101, 0],
    [100, 1],
    [6, msb],
    [38, lsb],
    [101, 127],
    [100, 127],
  ].map(([controller, set]) => ({
    at: 0,
    message: { type: 'control', controller: controller!, value: set! },
  }));
}

function trackOf(
  part: Part,
  channel: number,
  read: TakeReader,
  maps: SongMaps,
  { played = false, resolution = TICKS_PER_QUARTER }: MidiWish,
  tuning: number,
): MidiTrack {
  const line = lineOf(played ? asItWasPlayed(part) : part, read, maps);
  return {
    name: part.name,
    channel,
    events: [
      { at: 0, message: { type: 'program', value: programOf(part.sound) } },
      ...fineTuning(tuning),
      ...onTicks({ notes: notesInSong(line.notes, maps.end), controls: line.controls }, resolution),
    ],
  };
}

/**
 * MIDI file of some parts from bar 1, with tempo, meter, key and section markers. All files of a song have the same
 * length.
 */
export function midiSongOf(
  song: SongDocument,
  parts: readonly Part[],
  read: TakeReader,
  wish: MidiWish = {},
): MidiSong {
  const maps = mapsOf(song);
  const markers = sectionsOf(song, maps.meter).flatMap((s): Marker[] =>
    s.name && wish.markers !== false ? [{ tick: s.from, text: s.name }] : [],
  );
  return {
    title: song.title,
    tempo: withoutRamps(maps.tempo, maps.end, wish.resolution),
    meter: song.meter,
    markers,
    key: keyInBar(song, 1),
    keys: song.transposition
      .filter(({ bar }) => bar > 1 && bar <= song.bars)
      .flatMap(({ bar }) => {
        const key = keyInBar(song, bar);
        return key ? [{ tick: barStart(maps.meter, bar), key }] : [];
      }),
    tracks: parts.map((part, i) => trackOf(part, fileChannelOf(i), read, maps, wish, wish.tuned ? song.tuning : 0)),
    end: maps.end,
  };
}
