import { z } from 'zod';
import { learnedCommandSchema } from './learned';
import { messageFromBytes, SUSTAIN, type KeyMessage } from './messages';

/** The kinds of message a filter knows. */
export const KINDS = [
  'notes',
  'release',
  'sustain',
  'pedals',
  'controllers',
  'bend',
  'pressure',
  'program',
  'exclusive',
] as const;
export type MessageKind = (typeof KINDS)[number];

const key = z.number().int().min(0).max(127);

const settingsSchema = z
  .object({
    /** True if it is switched on; undefined before anybody has said. */
    on: z.boolean().optional(),
    /** Name given by the player, or empty. */
    name: z.string().trim().max(60).default(''),
    /** MIDI channel that is received, 1 to 16, or null for all. */
    channel: z.number().int().min(1).max(16).nullable().default(null),
    /** Transposition in semitones. */
    transpose: z.number().int().min(-48).max(48).default(0),
    /**
     * Touch curve: 0 linear, towards 1 for a light touch, towards -1 for a heavy one; with the least and greatest
     * velocity it gives.
     */
    curve: z
      .object({
        shape: z.number().min(-1).max(1),
        low: z.number().int().min(1).max(127),
        high: z.number().int().min(1).max(127),
      })
      .readonly()
      .default({ shape: 0, low: 1, high: 127 }),
    /** Keys that are received, before their transposition; both included. */
    range: z.object({ low: key, high: key }).readonly().default({ low: 0, high: 127 }),
    /** Kinds of messages that are left out, and controllers by number. */
    leftOut: z
      .object({
        kinds: z.array(z.enum(KINDS)).max(KINDS.length).readonly(),
        controllers: z.array(key).max(128).readonly(),
      })
      .readonly()
      .default({ kinds: [], controllers: [] }),
    /** Taught keys and pedals. */
    learned: z.array(learnedCommandSchema).max(40).readonly().default([]),
  })
  .readonly();

/** Settings of older versions, in which learned commands were called "taught". */
const withLearned = (stored: unknown): unknown =>
  stored && typeof stored === 'object' && 'taught' in stored && !('learned' in stored)
    ? { ...stored, learned: stored.taught }
    : stored;

/** Stored settings of a keyboard, with defaults for missing ones. */
export const keyboardSchema = z.preprocess(withLearned, settingsSchema);
export type KeyboardSettings = z.infer<typeof keyboardSchema>;
export const PLAIN_KEYBOARD: KeyboardSettings = keyboardSchema.parse({});

/** State of a keyboard's stream. */
export interface KeyboardState {
  /** Last status byte, for running status; 0 before the first. */
  readonly status: number;
  /** Key that each sounding key of each channel became: its release goes there, even if settings have changed. */
  readonly down: ReadonlyMap<number, number>;
}
export const AT_REST: KeyboardState = { status: 0, down: new Map() };

export type Outcome =
  | { readonly type: 'through'; readonly message: KeyMessage }
  | { readonly type: 'left out'; readonly why: MessageKind | 'channel' | 'range' }
  /** Clock, active sensing and broken messages, which are not played. */
  | { readonly type: 'nothing'; readonly broken: boolean };

const SYSTEM = 0xf0;
const PEDALS = new Set([65, 66, 67, 68, 69]);
const MIDDLE_RELEASE = 64;

/** Velocity through the touch curve, a power law. A linear curve changes none. */
export function touched(velocity: number, { shape, low, high }: KeyboardSettings['curve']): number {
  const share = ((velocity - 1) / 126) ** (2 ** (-2 * shape));
  return Math.max(1, Math.min(127, Math.round(low + (high - low) * share)));
}

function kindOf(message: KeyMessage): MessageKind {
  switch (message.type) {
    case 'noteOn':
    case 'noteOff':
      return 'notes';
    case 'control':
      if (message.controller === SUSTAIN) return 'sustain';
      return PEDALS.has(message.controller) ? 'pedals' : 'controllers';
    case 'bend':
      return 'bend';
    case 'pressure':
    case 'keyPressure':
      return 'pressure';
    case 'program':
      return 'program';
  }
}

/** Message with its status byte restored from running status; undefined where that is impossible. */
function whole(data: ArrayLike<number>, status: number): number[] | undefined {
  const bytes = Array.from(data);
  if (bytes.length === 0) return undefined;
  if (bytes[0]! >= 0x80) return bytes;
  // A message needs exactly the data bytes of its status.
  const wanted = status >> 4 === 0xc || status >> 4 === 0xd ? 1 : 2;
  return status >= 0x80 && status < SYSTEM && bytes.length === wanted ? [status, ...bytes] : undefined;
}

/**
 * Sends one message through a keyboard's settings: channel, filter, range, transposition, touch. Pure: the same stream
 * and settings give the same notes.
 */
export function throughKeyboard(
  settings: KeyboardSettings,
  state: KeyboardState,
  data: ArrayLike<number>,
): { state: KeyboardState; outcome: Outcome } {
  const bytes = whole(data, state.status);
  const stay = (outcome: Outcome) => ({ state, outcome });
  if (!bytes) return stay({ type: 'nothing', broken: true });
  const [status] = bytes as [number];
  if (status >= SYSTEM) {
    // Real-time messages can come anywhere, and end nothing.
    if (status === SYSTEM)
      return stay(
        settings.leftOut.kinds.includes('exclusive')
          ? { type: 'left out', why: 'exclusive' }
          : { type: 'nothing', broken: false },
      );
    return stay({ type: 'nothing', broken: false });
  }
  const known: KeyboardState = { ...state, status };
  const message = messageFromBytes(bytes);
  if (!message) return { state: known, outcome: { type: 'nothing', broken: true } };
  const out = (outcome: Outcome, next = known) => ({ state: next, outcome });
  // A layered keyboard sends a key on several channels; each has its own release.
  const nameOf = (key: number): number => ((status & 15) << 7) | key;
  if (message.type === 'noteOff') {
    const sent = known.down.get(nameOf(message.key));
    if (sent === undefined) return out({ type: 'left out', why: blocked(settings, message, status) ?? 'notes' });
    const down = new Map(known.down);
    down.delete(nameOf(message.key));
    const velocity = settings.leftOut.kinds.includes('release') ? MIDDLE_RELEASE : message.velocity;
    return out({ type: 'through', message: { ...message, key: sent, velocity } }, { ...known, down });
  }
  const why = blocked(settings, message, status);
  if (why) return out({ type: 'left out', why });
  if (message.type === 'noteOn') {
    const sent = message.key + settings.transpose;
    if (sent < 0 || sent > 127) return out({ type: 'left out', why: 'range' });
    const through = { ...message, key: sent, velocity: touched(message.velocity, settings.curve) };
    return out(
      { type: 'through', message: through },
      { ...known, down: new Map(known.down).set(nameOf(message.key), sent) },
    );
  }
  if (message.type === 'keyPressure')
    return out({ type: 'through', message: { ...message, key: known.down.get(nameOf(message.key)) ?? message.key } });
  return out({ type: 'through', message });
}

function blocked(
  { channel, range, leftOut }: KeyboardSettings,
  message: KeyMessage,
  status: number,
): MessageKind | 'channel' | 'range' | undefined {
  if (channel !== null && (status & 15) !== channel - 1) return 'channel';
  const kind = kindOf(message);
  if (leftOut.kinds.includes(kind)) return kind;
  if (message.type === 'control' && leftOut.controllers.includes(message.controller)) return 'controllers';
  if ('key' in message && (message.key < range.low || message.key > range.high)) return 'range';
  return undefined;
}
