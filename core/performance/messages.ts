/** Message of a keyboard without its channel. Values are MIDI's: 0 to 127, bend 0 to 16383. */
export type KeyMessage =
  | { readonly type: 'noteOn'; readonly key: number; readonly velocity: number }
  | { readonly type: 'noteOff'; readonly key: number; readonly velocity: number }
  | { readonly type: 'control'; readonly controller: number; readonly value: number }
  | { readonly type: 'bend'; readonly value: number }
  | { readonly type: 'pressure'; readonly value: number }
  | { readonly type: 'keyPressure'; readonly key: number; readonly value: number }
  | { readonly type: 'program'; readonly value: number };

export type NoteMessage = Extract<KeyMessage, { type: 'noteOn' | 'noteOff' }>;
/** Messages other than notes, which set a value that lasts until it changes. */
export type ControlMessage = Exclude<KeyMessage, NoteMessage>;

export const SUSTAIN = 64;
export const BEND_CENTRE = 8192;

/** @example isNote({ type: 'bend', value: 8192 }) // false */
export const isNote = (message: KeyMessage): message is NoteMessage =>
  message.type === 'noteOn' || message.type === 'noteOff';

/**
 * Decodes a channel message (MIDI 1.0 detailed specification, table 1). A note-on with velocity 0 is a note-off.
 * @returns undefined for system messages and incomplete bytes
 * @example messageFromBytes([0x90, 60, 84]) // { type: 'noteOn', key: 60, velocity: 84 }
 */
export function messageFromBytes(bytes: ArrayLike<number>): KeyMessage | undefined {
  const status = bytes[0] ?? 0;
  const kind = status >> 4;
  const short = kind === 0xc || kind === 0xd;
  const a = bytes[1];
  const b = short ? 0 : bytes[2];
  if (kind < 8 || kind === 0xf || a === undefined || b === undefined || a > 127 || b > 127) return undefined;
  switch (kind) {
    case 0x8:
      return { type: 'noteOff', key: a, velocity: b };
    case 0x9:
      return b === 0 ? { type: 'noteOff', key: a, velocity: 64 } : { type: 'noteOn', key: a, velocity: b };
    case 0xa:
      return { type: 'keyPressure', key: a, value: b };
    case 0xb:
      return { type: 'control', controller: a, value: b };
    case 0xc:
      return { type: 'program', value: a };
    case 0xd:
      return { type: 'pressure', value: a };
    default:
      return { type: 'bend', value: a | (b << 7) };
  }
}

/**
 * The inverse of `messageFromBytes`, on a channel from 0 to 15.
 * @example bytesFromMessage({ type: 'noteOn', key: 60, velocity: 84 }) // [0x90, 60, 84]
 */
export function bytesFromMessage(message: KeyMessage, channel = 0): number[] {
  switch (message.type) {
    case 'noteOff':
      return [0x80 | channel, message.key, message.velocity];
    case 'noteOn':
      return [0x90 | channel, message.key, message.velocity];
    case 'keyPressure':
      return [0xa0 | channel, message.key, message.value];
    case 'control':
      return [0xb0 | channel, message.controller, message.value];
    case 'program':
      return [0xc0 | channel, message.value];
    case 'pressure':
      return [0xd0 | channel, message.value];
    case 'bend':
      return [0xe0 | channel, message.value & 127, message.value >> 7];
  }
}

const NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B'];

/**
 * "C4" for key 60.
 * @example keyName(60) // 'C4'
 */
export const keyName = (key: number): string => `${NAMES[key % 12]}${Math.floor(key / 12) - 1}`;
