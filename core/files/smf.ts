import { parseMidi, writeMidi, type MidiEvent } from 'midi-file';
import { bytesFromMessage, messageFromBytes, type KeyMessage } from '../performance/messages';
import type { PlacedEvent } from '../performance/notes';
import { meterMap, barAt, barStart, type MeterChange } from '../time/meter';
import type { TempoChange } from '../time/tempo';
import { TICKS_PER_QUARTER, type Ticks } from '../time/units';
import { DamagedFile } from './damaged';

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

/** What a Standard MIDI File says, in our ticks. */
export interface MidiSong {
  readonly title: string;
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  readonly markers: readonly Marker[];
  /** Tracks with at least one channel message, one for each channel they use. */
  readonly tracks: readonly MidiTrack[];
  readonly end: Ticks;
}

/** As many as a song can hold. */
const MOST_TEMPOS = 20_000;
const MOST_METERS = 5000;

const text = (bytes: Uint8Array, at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));

/** Walks the chunks before the parser sees them: it does not notice a file that is cut short. */
function checkChunks(bytes: Uint8Array): void {
  if (text(bytes, 0) !== 'MThd') throw new DamagedFile('This is not a MIDI file: it does not begin as one.');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 14) throw new DamagedFile('The MIDI file is cut short inside its header.');
  if (view.getUint16(8) > 1) throw new DamagedFile('The MIDI file holds separate patterns (format 2), not one song. Save it as format 1.');
  const division = view.getUint16(12);
  if (division & 0x8000) throw new DamagedFile('The MIDI file counts film frames (SMPTE), not beats. Save it with ticks for each quarter note.');
  if (division === 0) throw new DamagedFile('The MIDI file says that a quarter note has no ticks.');
  let tracks = 0;
  for (let at = 8 + view.getUint32(4); at < bytes.length;) {
    if (at + 8 > bytes.length || at + 8 + view.getUint32(at + 4) > bytes.length) {
      throw new DamagedFile(`The MIDI file is cut short in its track ${tracks + 1}.`);
    }
    if (text(bytes, at) === 'MTrk') tracks += 1;
    at += 8 + view.getUint32(at + 4);
  }
  if (tracks === 0) throw new DamagedFile('The MIDI file has no tracks.');
}

function messageOf(event: MidiEvent): { message: KeyMessage; channel: number } | undefined {
  const channel = 'channel' in event ? event.channel : 0;
  switch (event.type) {
    case 'noteOn': return { channel, message: { type: 'noteOn', key: event.noteNumber, velocity: event.velocity } };
    case 'noteOff': return { channel, message: { type: 'noteOff', key: event.noteNumber, velocity: event.velocity } };
    case 'controller': return { channel, message: { type: 'control', controller: event.controllerType, value: event.value } };
    case 'programChange': return { channel, message: { type: 'program', value: event.programNumber } };
    case 'channelAftertouch': return { channel, message: { type: 'pressure', value: event.amount } };
    case 'noteAftertouch': return { channel, message: { type: 'keyPressure', key: event.noteNumber, value: event.amount } };
    case 'pitchBend': return { channel, message: { type: 'bend', value: event.value + 8192 } };
    default: return undefined;
  }
}

/** Bar numbers for meters given in ticks; one that does not stand on a bar line moves to the bar it falls in. */
function metersFrom(found: readonly { tick: Ticks; beats: number; unit: number }[]): MeterChange[] {
  if (found.length > MOST_METERS) throw new DamagedFile(`The MIDI file changes its meter ${found.length} times; a song can hold ${MOST_METERS} changes.`);
  const meters: MeterChange[] = [{ bar: 1, beats: 4, unit: 4 }];
  for (const { tick, beats, unit } of [...found].sort((a, b) => a.tick - b.tick)) {
    const map = meterMap(meters);
    const bar = Math.max(1, barAt(map, tick));
    const last = meters.at(-1)!;
    if (last.bar === bar) meters.pop();
    if (bar > last.bar || last.bar === bar) meters.push({ bar, beats, unit });
  }
  return meters;
}

/**
 * Reads a Standard MIDI File (format 0 or 1, with ticks for each quarter note).
 * @throws DamagedFile with the reason
 */
export function readMidiFile(bytes: Uint8Array): MidiSong {
  checkChunks(bytes);
  let file: ReturnType<typeof parseMidi>;
  try {
    file = parseMidi(bytes);
  } catch {
    throw new DamagedFile('The MIDI file holds bytes that are not MIDI events.');
  }
  const scale = TICKS_PER_QUARTER / file.header.ticksPerBeat!;
  let title = '';
  let end: Ticks = 0;
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
      if (event.type === 'trackName') name ||= event.text.trim();
      else if (event.type === 'setTempo') {
        if (event.microsecondsPerBeat === 0) throw new DamagedFile('The MIDI file says a tempo of no time at all.');
        tempo.push({ tick, bpm: 60e6 / event.microsecondsPerBeat });
      } else if (event.type === 'timeSignature') {
        if (event.numerator > 0 && event.denominator <= 32) meters.push({ tick, beats: event.numerator, unit: event.denominator });
      } else if (event.type === 'marker') markers.push({ tick, text: event.text });
      else {
        const found = messageOf(event);
        const sound = found && messageFromBytes(bytesFromMessage(found.message, found.channel));
        if (found && !sound) throw new DamagedFile(`Track ${index + 1} of the MIDI file holds values that no keyboard can send.`);
        if (!found || !sound) continue;
        const events = byChannel.get(found.channel);
        if (events) events.push({ at: tick, message: sound });
        else byChannel.set(found.channel, [{ at: tick, message: sound }]);
      }
    }
    if (index === 0) title = name;
    for (const [channel, events] of byChannel) tracks.push({ name, channel, events });
  });
  if (tempo.length > MOST_TEMPOS) throw new DamagedFile(`The MIDI file changes its tempo ${tempo.length} times; a song can hold ${MOST_TEMPOS} changes.`);
  if (tempo[0]?.tick !== 0) tempo.unshift({ tick: 0, bpm: 120 });
  return { title, tempo, meter: metersFrom(meters), markers: markers.sort((a, b) => a.tick - b.tick), tracks, end };
}

function deltas(events: readonly (MidiEvent & { at: Ticks })[], end: Ticks): MidiEvent[] {
  let before = 0;
  const out: MidiEvent[] = [];
  for (const { at, ...event } of events) {
    const tick = Math.max(0, Math.round(at));
    out.push({ ...event, deltaTime: tick - before } as MidiEvent);
    before = tick;
  }
  return [...out, { deltaTime: Math.max(0, Math.round(end) - before), meta: true, type: 'endOfTrack' } as MidiEvent];
}

function midiEvent(message: KeyMessage, channel: number): MidiEvent {
  const base = { deltaTime: 0, channel };
  switch (message.type) {
    case 'noteOn': return { ...base, type: 'noteOn', noteNumber: message.key, velocity: message.velocity };
    case 'noteOff': return { ...base, type: 'noteOff', noteNumber: message.key, velocity: message.velocity };
    case 'control': return { ...base, type: 'controller', controllerType: message.controller, value: message.value };
    case 'program': return { ...base, type: 'programChange', programNumber: message.value };
    case 'pressure': return { ...base, type: 'channelAftertouch', amount: message.value };
    case 'keyPressure': return { ...base, type: 'noteAftertouch', noteNumber: message.key, amount: message.value };
    case 'bend': return { ...base, type: 'pitchBend', value: message.value - 8192 };
  }
}

/**
 * Writes a format 1 file of 960 ticks to a quarter: tempo, meter and markers in the first track, which has the
 * song's title, then each track under its name. Every track ends at `end`.
 * @param song its tempo without ramps; ticks are rounded, and ticks before bar 1 are set on it
 */
export function writeMidiFile(song: MidiSong): Uint8Array {
  const meter = meterMap(song.meter);
  const rank = { trackName: 0, timeSignature: 1, setTempo: 2, marker: 3 } as Record<string, number>;
  const conductor = [
    { at: 0, deltaTime: 0, meta: true, type: 'trackName', text: song.title },
    ...song.meter.map((m) => ({
      at: barStart(meter, m.bar), deltaTime: 0, meta: true, type: 'timeSignature',
      numerator: m.beats, denominator: m.unit, metronome: (24 * 4) / m.unit, thirtyseconds: 8,
    })),
    ...song.tempo.map((t) => ({ at: t.tick, deltaTime: 0, meta: true, type: 'setTempo', microsecondsPerBeat: Math.round(60e6 / t.bpm) })),
    ...song.markers.map((m) => ({ at: m.tick, deltaTime: 0, meta: true, type: 'marker', text: m.text })),
  ].sort((a, b) => a.at - b.at || rank[a.type]! - rank[b.type]!) as (MidiEvent & { at: Ticks })[];
  const tracks = song.tracks.map((track) => deltas([
    { at: 0, deltaTime: 0, meta: true, type: 'trackName', text: track.name } as MidiEvent & { at: Ticks },
    ...track.events.map((e) => ({ at: e.at, ...midiEvent(e.message, track.channel) })),
  ], song.end));
  const header = { format: 1 as const, numTracks: tracks.length + 1, ticksPerBeat: TICKS_PER_QUARTER };
  return Uint8Array.from(writeMidi({ header, tracks: [deltas(conductor, song.end), ...tracks] }));
}
