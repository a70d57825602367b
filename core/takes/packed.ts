import { toByteArray } from 'base64-js';
import { bytesFromMessage, messageFromBytes } from '../performance/messages';
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

/** The inverse of `packEvents`. @throws Error where the bytes are not that */
export function unpackEvents(bytes: Uint8Array): LayerEvent[] {
  if (bytes.length % EVENT_BYTES !== 0) throw new Error('The events of a layer are cut short.');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const events: LayerEvent[] = [];
  const own = [0, 0, 0];
  for (let from = 0; from < bytes.length; from += EVENT_BYTES) {
    for (let i = 0; i < own.length; i += 1) own[i] = bytes[from + 8 + i]!;
    const message = messageFromBytes(own);
    if (!message) throw new Error('The events of a layer are damaged.');
    events.push({ at: view.getFloat64(from, true), message });
  }
  return events;
}

/** A layer's facts with its events packed, as base64. */
export type Packed<Facts> = Facts & { readonly packed: string };

/** The layer with its events, which are unpacked when somebody first reads them: of old takes nobody may. */
export function unpacked<Facts extends object>({
  packed,
  ...facts
}: Packed<Facts>): Omit<Packed<Facts>, 'packed'> & { readonly events: readonly LayerEvent[] } {
  let events: readonly LayerEvent[] | undefined;
  return Object.defineProperty(facts, 'events', {
    enumerable: true,
    get: () => (events ??= unpackEvents(toByteArray(packed))),
  }) as Omit<Packed<Facts>, 'packed'> & { readonly events: readonly LayerEvent[] };
}
