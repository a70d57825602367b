import { parseMidi, writeMidi, type MidiEvent } from 'midi-file';
import { bytesFromMessage, messageFromBytes, type KeyMessage } from '../performance/messages';
import type { PlacedEvent } from '../performance/notes';
import { barAt, barStart, meterMap, type MeterChange } from '../time/meter';
import type { TempoChange } from '../time/tempo';
import { TICKS_PER_QUARTER, type Ticks } from '../time/units';
import { MOST_BARS, MOST_BEATS, MOST_METERS, MOST_TEMPOS, SHORTEST_UNIT } from '../vocabulary/limits';
import type { SongKey } from '../vocabulary/key';
import { DamagedFile } from './damaged';
import { readableEvents } from './midiLengths';

export interface Marker {
  readonly tick: Ticks;
  readonly text: string;
}

export interface MidiTrack {
  readonly name: string;
  /** 0 to 15. */
  readonly channel: number;
  readonly events: readonly PlacedEvent[];
}

/** Contents of a Standard MIDI File, in this program's ticks. */
export interface MidiSong {
  readonly title: string;
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  readonly markers: readonly Marker[];
  /** Key at its start; null where the file has none. */
  readonly key?: SongKey | null;
  /** Later changes of key. */
  readonly keys?: readonly { readonly tick: Ticks; readonly key: SongKey }[];
  /** Tracks with at least one channel message, one for each channel they use. */
  readonly tracks: readonly MidiTrack[];
  readonly end: Ticks;
}

const tag = (bytes: Uint8Array, at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));
const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** A file inside a RIFF wrapper (RMID, MIDI Manufacturers Association RP-029), or the file itself. */
function unwrapped(bytes: Uint8Array): Uint8Array {
  if (bytes.length < 12 || tag(bytes, 0) !== 'RIFF' || tag(bytes, 8) !== 'RMID') return bytes;
  const view = viewOf(bytes);
  for (let at = 12; at + 8 <= bytes.length;) {
    const length = view.getUint32(at + 4, true);
    if (tag(bytes, at) === 'data') return bytes.subarray(at + 8, at + 8 + length);
    at += 8 + length + (length & 1);
  }
  throw new DamagedFile('The RIFF file holds no MIDI file.');
}

/**
 * The header and the tracks alone. The parser takes every chunk for a track and does not notice a file that is cut
 * short;
 * chunks of other kinds, and whatever follows the last track, are to be passed over (Standard MIDI Files 1.0).
 */
function ownChunks(bytes: Uint8Array): Uint8Array {
  if (tag(bytes, 0) !== 'MThd') throw new DamagedFile('This is not a MIDI file: it does not begin as one.');
  const view = viewOf(bytes);
  if (bytes.length < 14) throw new DamagedFile('The MIDI file is cut short inside its header.');
  if (view.getUint16(8) > 1)
    throw new DamagedFile('The MIDI file holds separate patterns (format 2), not one song. Save it as format 1.');
  const division = view.getUint16(12);
  if (division & 0x8000)
    throw new DamagedFile(
      'The MIDI file counts film frames (SMPTE), not beats. Save it with ticks for each quarter note.',
    );
  if (division === 0) throw new DamagedFile('The MIDI file says that a quarter note has no ticks.');
  const promised = view.getUint16(10);
  const tracks: Uint8Array[] = [];
  for (let at = 8 + view.getUint32(4); at < bytes.length;) {
    const fits = at + 8 <= bytes.length && at + 8 + view.getUint32(at + 4) <= bytes.length;
    if (!fits) {
      // Padding after the last track is no cut-off track.
      if (tracks.length >= promised && tracks.length > 0) break;
      throw new DamagedFile(`The MIDI file is cut short in its track ${tracks.length + 1}.`);
    }
    const end = at + 8 + view.getUint32(at + 4);
    if (tag(bytes, at) === 'MTrk') {
      const events = readableEvents(bytes.subarray(at + 8, end), tracks.length + 1);
      const track = new Uint8Array(8 + events.length);
      track.set(bytes.subarray(at, at + 4));
      viewOf(track).setUint32(4, events.length);
      track.set(events, 8);
      tracks.push(track);
    }
    at = end;
  }
  if (tracks.length === 0) throw new DamagedFile('The MIDI file has no tracks.');
  const whole = new Uint8Array(14 + tracks.reduce((sum, t) => sum + t.length, 0));
  whole.set([
    0x4d,
    0x54,
    0x68,
    0x64,
    0,
    0,
    0,
    6,
    ...bytes.subarray(8, 10),
    tracks.length >> 8,
    tracks.length & 255,
    ...bytes.subarray(12, 14),
  ]);
  let filled = 14;
  for (const track of tracks) {
    whole.set(track, filled);
    filled += track.length;
  }
  return whole;
}

/** Text decoded from the parser's form, a character a byte: as UTF-8 where valid, otherwise as Latin-1. */
function textFrom(raw: string): string {
  const bytes = Uint8Array.from(raw, (c) => c.charCodeAt(0));
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return raw;
  }
}
/** Text encoded for the writer: UTF-8, a character a byte. */
const textTo = (text: string): string =>
  Array.from(new TextEncoder().encode(text), (byte) => String.fromCharCode(byte)).join('');

function messageOf(event: MidiEvent): { message: KeyMessage; channel: number } | undefined {
  const channel = 'channel' in event ? event.channel : 0;
  switch (event.type) {
    case 'noteOn':
      return { channel, message: { type: 'noteOn', key: event.noteNumber, velocity: event.velocity } };
    case 'noteOff':
      return { channel, message: { type: 'noteOff', key: event.noteNumber, velocity: event.velocity } };
    case 'controller':
      return { channel, message: { type: 'control', controller: event.controllerType, value: event.value } };
    case 'programChange':
      return { channel, message: { type: 'program', value: event.programNumber } };
    case 'channelAftertouch':
      return { channel, message: { type: 'pressure', value: event.amount } };
    case 'noteAftertouch':
      return { channel, message: { type: 'keyPressure', key: event.noteNumber, value: event.amount } };
    case 'pitchBend':
      return { channel, message: { type: 'bend', value: event.value + 8192 } };
    default:
      return undefined;
  }
}

/** Bar numbers of meter changes given in ticks; one inside a bar moves to the bar's start. */
function metersFrom(found: readonly { tick: Ticks; beats: number; unit: number }[]): MeterChange[] {
  if (found.length > MOST_METERS)
    throw new DamagedFile(
      `The MIDI file changes its meter ${found.length} times; a song can hold ${MOST_METERS} changes.`,
    );
  const meters: MeterChange[] = [{ bar: 1, beats: 4, unit: 4 }];
  // Place of the last change.
  let start: Ticks = 0;
  for (const { tick, beats, unit } of [...found].sort((a, b) => a.tick - b.tick)) {
    const last = meters.at(-1)!;
    const bars = Math.max(0, Math.floor((tick - start) / ((TICKS_PER_QUARTER * 4 * last.beats) / last.unit)));
    if (bars === 0) meters.pop();
    else start += bars * ((TICKS_PER_QUARTER * 4 * last.beats) / last.unit);
    meters.push({ bar: last.bar + bars, beats, unit });
  }
  return meters;
}

/**
 * Reads a Standard MIDI File (format 0 or 1, with ticks for each quarter note).
 * @throws DamagedFile with the reason
 */
export function readMidiFile(bytes: Uint8Array): MidiSong {
  const own = ownChunks(unwrapped(bytes));
  let file: ReturnType<typeof parseMidi>;
  try {
    file = parseMidi(own);
  } catch {
    throw new DamagedFile('The MIDI file holds bytes that are not MIDI events.');
  }
  const scale = TICKS_PER_QUARTER / file.header.ticksPerBeat!;
  let title = '';
  let end: Ticks = 0;
  let key: SongKey | null = null;
  const tempo: TempoChange[] = [];
  const meters: { tick: Ticks; beats: number; unit: number }[] = [];
  const markers: Marker[] = [];
  const tracks: MidiTrack[] = [];
  file.tracks.forEach((track, index) => {
    let tick: Ticks = 0;
    let name = '';
    const byChannel = new Map<number, PlacedEvent[]>();
    for (const event of track) {
      tick += event.deltaTime * scale;
      end = Math.max(end, tick);
      if (event.type === 'trackName') name ||= textFrom(event.text).trim();
      else if (event.type === 'keySignature') key ??= keyOf(event);
      else if (event.type === 'setTempo') {
        if (event.microsecondsPerBeat === 0) throw new DamagedFile('The MIDI file says a tempo of no time at all.');
        tempo.push({ tick, bpm: 60e6 / event.microsecondsPerBeat });
      } else if (event.type === 'timeSignature') {
        const { numerator: beats, denominator: unit } = event;
        if (beats > MOST_BEATS || unit < 1 || unit > SHORTEST_UNIT)
          throw new DamagedFile(
            `The MIDI file has a meter of ${beats}/${unit}; a song can count up to ${MOST_BEATS} beats, ` +
              `none shorter than 1/${SHORTEST_UNIT}.`,
          );
        if (beats > 0) meters.push({ tick, beats, unit });
      } else if (event.type === 'marker') markers.push({ tick, text: textFrom(event.text) });
      else {
        const found = messageOf(event);
        const sound = found && messageFromBytes(bytesFromMessage(found.message, found.channel));
        if (found && !sound)
          throw new DamagedFile(`Track ${index + 1} of the MIDI file holds values that no keyboard can send.`);
        if (!found || !sound) continue;
        const events = byChannel.get(found.channel);
        if (events) events.push({ at: tick, message: sound });
        else byChannel.set(found.channel, [{ at: tick, message: sound }]);
      }
    }
    if (index === 0) title = name;
    for (const [channel, events] of byChannel) tracks.push({ name, channel, events });
  });
  if (tempo.length > MOST_TEMPOS)
    throw new DamagedFile(
      `The MIDI file changes its tempo ${tempo.length} times; a song can hold ${MOST_TEMPOS} changes.`,
    );
  // Any track may have a tempo; of two at one tick the later in the file holds.
  const tempos = [...new Map(tempo.map((t) => [t.tick, t])).values()].sort((a, b) => a.tick - b.tick);
  if (tempos[0]?.tick !== 0) tempos.unshift({ tick: 0, bpm: 120 });
  markers.sort((a, b) => a.tick - b.tick);
  const meter = metersFrom(meters);
  // A few bytes can encode a rest of a year, and its bars would be walked one by one.
  if (barAt(meterMap(meter), Math.max(0, end - 1)) > MOST_BARS)
    throw new DamagedFile(`The MIDI file is longer than ${MOST_BARS} bars.`);
  return { title, tempo: tempos, meter, markers, key, tracks, end };
}

/** Key from a file; undefined for an invalid one. */
function keyOf({ key, scale }: { key: number; scale: number }): SongKey | null {
  return key >= -7 && key <= 7 ? { fifths: key, minor: scale === 1 } : null;
}

type PlacedMidi = MidiEvent & { at: Ticks };

/**
 * Sets each event's delta time in place, as a song has tens of thousands.
 * @param scale ticks of the file in one of ours
 */
function deltas(events: PlacedMidi[], end: Ticks, scale: number): MidiEvent[] {
  let before = 0;
  for (const event of events) {
    const tick = Math.max(0, Math.round(event.at * scale));
    event.deltaTime = tick - before;
    before = tick;
  }
  const rest = Math.max(0, Math.round(end * scale) - before);
  return [...events, { deltaTime: rest, meta: true, type: 'endOfTrack' } as MidiEvent];
}

function midiEvent(at: Ticks, message: KeyMessage, channel: number): PlacedMidi {
  switch (message.type) {
    case 'noteOn':
    case 'noteOff':
      return { at, deltaTime: 0, channel, type: message.type, noteNumber: message.key, velocity: message.velocity };
    case 'control':
      return {
        at,
        deltaTime: 0,
        channel,
        type: 'controller',
        controllerType: message.controller,
        value: message.value,
      };
    case 'program':
      return { at, deltaTime: 0, channel, type: 'programChange', programNumber: message.value };
    case 'pressure':
      return { at, deltaTime: 0, channel, type: 'channelAftertouch', amount: message.value };
    case 'keyPressure':
      return { at, deltaTime: 0, channel, type: 'noteAftertouch', noteNumber: message.key, amount: message.value };
    case 'bend':
      return { at, deltaTime: 0, channel, type: 'pitchBend', value: message.value - 8192 };
  }
}

/** Events inside the song: none begins at its end or later, none lasts longer, and no note ends before it. */
function inside(events: readonly PlacedEvent[], end: Ticks): PlacedEvent[] {
  // A note is left out with its release.
  const left = new Map<number, number>();
  const kept: PlacedEvent[] = [];
  for (const { at, message } of events) {
    if (message.type === 'noteOn' && at >= end) left.set(message.key, (left.get(message.key) ?? 0) + 1);
    else if (message.type === 'noteOff' && at > end && left.get(message.key))
      left.set(message.key, left.get(message.key)! - 1);
    else if (message.type === 'noteOff') kept.push({ at: Math.min(at, end), message });
    else if (at <= end) kept.push({ at, message });
  }
  return kept;
}

/** Layout of a file. */
export interface MidiLayout {
  /** Format: 0 has one track with everything, 1 a separate track of tempo, meter and markers. */
  readonly format?: 0 | 1;
  /** Resolution in ticks to a quarter. Exact places have to be on these ticks. */
  readonly resolution?: number;
}

/**
 * Writes a Standard MIDI File: tempo, meter, key and markers in the first track, which has the song's title, then each
 * track under its name. Every track ends at `end`.
 * Text is written as UTF-8. What begins at the end or behind it is left out, so that no track is longer than another.
 * @param song its tempo without ramps; ticks are rounded, and controllers before bar 1 are set on it
 * @throws RangeError for format 0 with more than one track
 */
export function writeMidiFile(
  song: MidiSong,
  { format = 1, resolution = TICKS_PER_QUARTER }: MidiLayout = {},
): Uint8Array {
  if (format === 0 && song.tracks.length > 1) throw new RangeError('A file of format 0 has one track.');
  const scale = resolution / TICKS_PER_QUARTER;
  const meta = (at: Ticks, event: object): PlacedMidi => ({ at, deltaTime: 0, meta: true, ...event }) as PlacedMidi;
  const meter = meterMap(song.meter);
  const rank = { trackName: 0, timeSignature: 1, keySignature: 2, setTempo: 3, marker: 4 } as Record<string, number>;
  const conductor = [
    meta(0, { type: 'trackName', text: textTo(song.title) }),
    ...song.meter.map((m) =>
      meta(barStart(meter, m.bar), {
        type: 'timeSignature',
        numerator: m.beats,
        denominator: m.unit,
        metronome: (24 * 4) / m.unit,
        thirtyseconds: 8,
      }),
    ),
    ...[...(song.key ? [{ tick: 0, key: song.key }] : []), ...(song.keys ?? [])].map(({ tick, key }) =>
      meta(tick, { type: 'keySignature', key: key.fifths, scale: key.minor ? 1 : 0 }),
    ),
    ...song.tempo.map((t) => meta(t.tick, { type: 'setTempo', microsecondsPerBeat: Math.round(60e6 / t.bpm) })),
    ...song.markers.map((m) => meta(m.tick, { type: 'marker', text: textTo(m.text) })),
  ]
    .filter((e) => e.at < song.end || e.at === 0)
    .sort((a, b) => a.at - b.at || rank[a.type]! - rank[b.type]!);
  const placed = song.tracks.map((track) =>
    inside(track.events, song.end).map((e) => midiEvent(e.at, e.message, track.channel)),
  );
  const named = (i: number) => meta(0, { type: 'trackName', text: textTo(song.tracks[i]!.name) });
  // Sorting is stable: meta events come before notes of the same tick.
  const tracks =
    format === 0
      ? [[...conductor.filter((e) => e.type !== 'trackName' || placed.length === 0), ...placed.flat()]].map((all) =>
          [...(placed.length ? [named(0)] : []), ...all].sort((a, b) => Math.max(0, a.at) - Math.max(0, b.at)),
        )
      : [conductor, ...placed.map((events, i) => [named(i), ...events])];
  return fileOf(
    format,
    resolution,
    tracks.map((t) => trackBytes(deltas(t, song.end, scale))),
  );
}

/** Number of bytes before the first event of the first track. */
const UP_TO_EVENTS = 22;
/** Number of events in a piece: the writer's time grows with the square, so tracks are written in pieces. */
const PIECE = 48;

/** Bytes of a track's events, without running status, so that pieces can be joined. */
function trackBytes(events: readonly MidiEvent[]): Uint8Array[] {
  const pieces: Uint8Array[] = [];
  for (let at = 0; at < events.length; at += PIECE) {
    const track = events.slice(at, at + PIECE);
    const header = { format: 0 as const, numTracks: 1, ticksPerBeat: TICKS_PER_QUARTER };
    pieces.push(Uint8Array.from(writeMidi({ header, tracks: [track] }).slice(UP_TO_EVENTS)));
  }
  return pieces;
}

function fileOf(format: 0 | 1, resolution: number, tracks: readonly (readonly Uint8Array[])[]): Uint8Array {
  const lengths = tracks.map((pieces) => pieces.reduce((sum, p) => sum + p.length, 0));
  const bytes = new Uint8Array(14 + lengths.reduce((sum, l) => sum + 8 + l, 0));
  const view = viewOf(bytes);
  const text = new TextEncoder();
  bytes.set(text.encode('MThd'));
  view.setUint32(4, 6);
  view.setUint16(8, format);
  view.setUint16(10, tracks.length);
  view.setUint16(12, resolution);
  let at = 14;
  tracks.forEach((pieces, i) => {
    bytes.set(text.encode('MTrk'), at);
    view.setUint32(at + 4, lengths[i]!);
    at += 8;
    for (const piece of pieces) {
      bytes.set(piece, at);
      at += piece.length;
    }
  });
  return bytes;
}
