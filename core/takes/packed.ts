import { toByteArray } from 'base64-js';
import { bytesFromMessage, messageFromBytes, type KeyMessage } from '../performance/messages';
import type { Seconds } from '../time/units';
import type { LayerEvent } from './layer';

/** Bytes of one event: eight of time, three of message. */
const EVENT_BYTES = 11;
const NOTE_ON = 0x90;
const NOTE_OFF = 0x80;

/**
 * Events as they are stored and sent of a layer that is closed: for each, its time in seconds as a double (little
 * endian), and the message as MIDI's own bytes, the third 0 where it has two. Exact: the same events come out again.
 */
export function packEvents(events: readonly LayerEvent[]): Uint8Array {
  const bytes = new Uint8Array(events.length * EVENT_BYTES);
  const view = new DataView(bytes.buffer);
  events.forEach(({ at, message }, i) => {
    view.setFloat64(i * EVENT_BYTES, at, true);
    bytes.set(bytesFromMessage(message), i * EVENT_BYTES + 8);
  });
  return bytes;
}

/** Messages by their bytes. They never change, and a song says the same ones again and again: each is there once. */
const messages = new Map<number, KeyMessage>();

function messageAt(bytes: Uint8Array, from: number): KeyMessage {
  const [status, a, b] = [bytes[from]!, bytes[from + 1]!, bytes[from + 2]!];
  const name = (status << 16) | (a << 8) | b;
  const known = messages.get(name);
  if (known) return known;
  const message = messageFromBytes([status, a, b]);
  if (!message) throw new Error('The events of a layer are damaged.');
  messages.set(name, message);
  return message;
}

/** Goes through packed events in their order. @throws Error where the bytes are not that */
function eachPacked(bytes: Uint8Array, visit: (at: Seconds, message: KeyMessage) => void): void {
  if (bytes.length % EVENT_BYTES !== 0) throw new Error('The events of a layer are cut short.');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let from = 0; from < bytes.length; from += EVENT_BYTES)
    visit(view.getFloat64(from, true), messageAt(bytes, from + 8));
}

/** The inverse of `packEvents`. @throws Error where the bytes are not that */
export function unpackEvents(bytes: Uint8Array): LayerEvent[] {
  const events: LayerEvent[] = [];
  eachPacked(bytes, (at, message) => events.push({ at, message }));
  return events;
}

/** A layer's facts with its events packed: as bytes where they are stored, as base64 where they are sent. */
export type Packed<Facts, Form extends string | Uint8Array = string> = Facts & { readonly packed: Form };

/** The engine's own base64 decoder, many times as fast, where it has one. */
const native = Uint8Array as { readonly fromBase64?: (text: string) => Uint8Array };
const bytesFromBase64 = (text: string): Uint8Array => (native.fromBase64 ? native.fromBase64(text) : toByteArray(text));

interface HasEvents {
  readonly events: readonly LayerEvent[];
}
/** Packed bytes by layer; base64 text until the bytes are first asked for. */
const packedOf = new WeakMap<HasEvents, string | Uint8Array>();

function bytesOf(layer: HasEvents): Uint8Array | undefined {
  const packed = packedOf.get(layer);
  if (typeof packed !== 'string') return packed;
  const bytes = bytesFromBase64(packed);
  packedOf.set(layer, bytes);
  return bytes;
}

/** The layer with its events, which are unpacked whenever somebody asks for them: of old takes nobody may. */
export function unpacked<Facts extends object>({
  packed,
  ...facts
}: Packed<Facts, string | Uint8Array>): Omit<Packed<Facts>, 'packed'> & HasEvents {
  const layer = Object.defineProperty(facts, 'events', {
    enumerable: true,
    get: () => unpackEvents(bytesOf(layer)!),
  }) as Omit<Packed<Facts>, 'packed'> & HasEvents;
  packedOf.set(layer, packed);
  return layer;
}

/**
 * Goes through a layer's events in the order of their arrival. Of one that came packed nothing is made of them that
 * stays: a song has hundreds of thousands, and is read when it is opened.
 */
export function eachEvent(layer: HasEvents, visit: (at: Seconds, message: KeyMessage) => void): void {
  const bytes = bytesOf(layer);
  if (bytes) eachPacked(bytes, visit);
  else for (const { at, message } of layer.events) visit(at, message);
}

/** @param ordinal of a note-on: how many came before it */
type Visit = (at: Seconds, message: KeyMessage, ordinal: number) => void;
/** Range of time on the layer's clock. */
interface Span {
  readonly from: Seconds;
  readonly to: Seconds;
}

/**
 * Goes through what of a layer's events makes its controllers, and the notes that are struck in a span; others may be
 * told as well.
 * @returns false where they did not arrive in order: what was told is to be thrown away
 */
export function eachEventFor(layer: HasEvents, span: Span, visit: Visit): boolean {
  const bytes = bytesOf(layer);
  if (bytes) return eachPackedFor(bytes, span, visit);
  let [struck, last] = [0, -Infinity];
  for (const { at, message } of layer.events) {
    if (at < last) return false;
    last = at;
    visit(at, message, struck);
    if (message.type === 'noteOn') struck += 1;
  }
  return true;
}

const KEYS = 128;

/**
 * Walk through a packed layer that makes nothing of notes outside of the span, start or release: this is gone through
 * once for each take of a song while it opens, and has to be quick before an engine has made anything of it.
 */
function eachPackedFor(bytes: Uint8Array, { from, to }: Span, visit: Visit): boolean {
  if (bytes.length % EVENT_BYTES !== 0) throw new Error('The events of a layer are cut short.');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  /** Held keys by when they were struck: the one that was struck first is released first. */
  const [before, within] = [new Int32Array(KEYS), new Int32Array(KEYS)];
  let [struck, last] = [0, -Infinity];
  for (let i = 0; i < bytes.length; i += EVENT_BYTES) {
    const at = view.getFloat64(i, true);
    if (at < last) return false;
    last = at;
    const kind = bytes[i + 8]! & 0xf0;
    const key = bytes[i + 9]!;
    const isNoteOn = kind === NOTE_ON && bytes[i + 10]! > 0;
    const isRelease = kind === NOTE_OFF || (kind === NOTE_ON && !isNoteOn);
    let isAsked = true;
    if (isNoteOn) {
      isAsked = at >= from && at < to;
      if (isAsked) within[key]! += 1;
      else if (at < from) before[key]! += 1;
    } else if (isRelease) {
      isAsked = before[key] === 0 && within[key]! > 0;
      if (isAsked) within[key]! -= 1;
      else if (before[key]! > 0) before[key]! -= 1;
    }
    if (isAsked) visit(at, messageAt(bytes, i + 8), struck);
    if (isNoteOn) struck += 1;
  }
  return true;
}
