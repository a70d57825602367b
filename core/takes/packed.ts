import { toByteArray } from 'base64-js';
import { bytesFromMessage, messageFromBytes, type KeyMessage } from '../performance/messages';
import type { Seconds } from '../time/units';
import type { LayerEvent } from './layer';

/** Eight bytes of time, three of message. */
const EVENT_BYTES = 11;

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

/** By the engine's own reader where it has one, which is many times as fast. */
const native = Uint8Array as { readonly fromBase64?: (text: string) => Uint8Array };
const bytesFromBase64 = (text: string): Uint8Array => (native.fromBase64 ? native.fromBase64(text) : toByteArray(text));

interface HasEvents {
  readonly events: readonly LayerEvent[];
}
/** The bytes of layers that came packed, or what they are made from when somebody first wants them. */
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
