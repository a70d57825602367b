import type { Marker, MidiSong, MidiTrack } from '../files/smf';
import { eventsFromReading, type Note, type PlacedEvent, type Reading } from '../performance/notes';
import { asItWasPlayed, lineOf, type TakeReader } from '../song/reading';
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

/** Share by which a step's tempo may differ from its own to make good what rounding has left over. */
const MOST_CATCHING_UP = 0.001;

/**
 * Tempo changes without ramps. Bar lines keep their times: a step's tempo is its exact average, less what
 * rounding to whole microseconds a quarter has left over so far.
 * @param resolution ticks to a quarter that the file has: changes stand on those
 */
export function withoutRamps(map: TempoMap, end: Ticks, resolution = TICKS_PER_QUARTER): TempoChange[] {
  // A file begins at bar 1, and one that says no tempo there is taken to be at 120.
  const points: Ticks[] = [0];
  const own = TICKS_PER_QUARTER / resolution;
  // A change between two ticks of the file: the step from the one to the other has the average of both tempos.
  const add = (tick: Ticks) => {
    for (const there of [Math.floor(tick / own) * own, Math.ceil(tick / own) * own])
      if (there > points.at(-1)!) points.push(there);
  };
  map.changes.forEach((change, i) => {
    add(change.tick);
    const next = map.changes[i + 1];
    if (change.ramp !== 'linear' || !next) return;
    // On the sixteenths of the song: beats and bar lines are among them.
    const first = (Math.floor(change.tick / RAMP_STEP) + 1) * RAMP_STEP;
    for (let tick = first; tick < next.tick; tick += RAMP_STEP) add(tick);
  });
  let clock = secondsAt(map, points[0]!);
  return points.map((tick, i) => {
    const to = points[i + 1] ?? Math.max(end, tick + TICKS_PER_QUARTER);
    const quarters = (to - tick) / TICKS_PER_QUARTER;
    const exact = ((secondsAt(map, to) - secondsAt(map, tick)) * 1e6) / quarters;
    // A step of few ticks takes back little of what is left over, and leaves the rest to those that follow.
    const caughtUp = ((secondsAt(map, to) - clock) * 1e6) / quarters;
    const micros = Math.round(
      Math.max(exact * (1 - MOST_CATCHING_UP), Math.min(exact * (1 + MOST_CATCHING_UP), caughtUp)),
    );
    clock += (micros * quarters) / 1e6;
    return { tick, bpm: 60e6 / micros };
  });
}

/** The notes of a line that lie in the song; one that was struck ahead of bar 1 begins there. */
export const notesInSong = (notes: readonly Note[], end: Ticks): Note[] =>
  notes.filter((n) => n.end > 0 && n.start < end).map((n) => (n.start < 0 ? { ...n, start: 0 } : n));

/**
 * Number of notes of a part's line that no file can have: they are over before bar 1, or begin behind the song's end.
 */
export function notesLeftOut(line: Reading, end: Ticks): number {
  return line.notes.length - notesInSong(line.notes, end).length;
}

/**
 * A place halfway between two ticks, as a file with more of them has, goes to the later: without this it would go to
 * either, by what seconds have left of it, and two notes of a chord to different ones.
 */
const HALFWAY = 1e-5;

/** On the ticks that a file has: what lies between them moves to the nearest, and nothing gets lost by it. */
function onTicks({ notes, controls }: Reading, resolution: number): PlacedEvent[] {
  const scale = resolution / TICKS_PER_QUARTER;
  const scaled = {
    notes: notes.map((n) => ({ ...n, start: n.start * scale + HALFWAY, end: n.end * scale + HALFWAY })),
    controls: controls.map((c) => ({ ...c, at: c.at * scale + HALFWAY })),
  };
  return eventsFromReading(scaled, true).map((e) => ({ ...e, at: e.at / scale }));
}

/** Wishes for a song's MIDI. */
export interface MidiWish {
  /** As it was played: nothing changed by hand, nothing treated. */
  readonly played?: boolean;
  /** Ticks to a quarter note. */
  readonly resolution?: number;
  readonly markers?: boolean;
  /** With the song's tuning. */
  readonly tuned?: boolean;
}

/**
 * Messages that tune a channel (MIDI 1.0, registered parameter 1: 8192 is no change, and 8192 steps a half tone), and
 * let go of the parameter, so that no data entry that follows moves it.
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
 * MIDI of some of the song's parts: their lines from bar 1, with tempo, meter, key and section markers. Every file of a
 * song has the same length.
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
