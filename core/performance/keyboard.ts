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
    /** True if it is listened to; undefined before anybody has said. */
    on: z.boolean().optional(),
    /** A name of the player's own, or empty. */
    name: z.string().trim().max(60).default(''),
    /** The one MIDI channel that is heard, 1 to 16, or null for all. */
    channel: z.number().int().min(1).max(16).nullable().default(null),
    /** In semitones. */
    transpose: z.number().int().min(-48).max(48).default(0),
    /**
     * Touch: 0 as it comes, towards 1 a light touch counts for more, towards -1 for less; and the least and most it
     * gives.
     */
    curve: z
      .object({
        shape: z.number().min(-1).max(1),
        low: z.number().int().min(1).max(127),
        high: z.number().int().min(1).max(127),
      })
      .readonly()
      .default({ shape: 0, low: 1, high: 127 }),
    /** The keys that are heard, before they are transposed; both included. */
    range: z.object({ low: key, high: key }).readonly().default({ low: 0, high: 127 }),
    /** The kinds that are left out, and controllers by number. */
    leftOut: z
      .object({
        kinds: z.array(z.enum(KINDS)).max(KINDS.length).readonly(),
        controllers: z.array(key).max(128).readonly(),
      })
      .readonly()
      .default({ kinds: [], controllers: [] }),
    /** Keys and pedals that have learned an action. */
    learned: z.array(learnedCommandSchema).max(40).readonly().default([]),
  })
  .readonly();

/** Settings that were stored when learned commands were called "taught". */
const withLearned = (stored: unknown): unknown =>
  stored && typeof stored === 'object' && 'taught' in stored && !('learned' in stored)
    ? { ...stored, learned: stored.taught }
    : stored;

/** Settings that are remembered of a keyboard; one that is missing is plain. */
export const keyboardSchema = z.preprocess(withLearned, settingsSchema);
export type KeyboardSettings = z.infer<typeof keyboardSchema>;
export const PLAIN_KEYBOARD: KeyboardSettings = keyboardSchema.parse({});

/** State of a keyboard's stream. */
export interface KeyboardState {
  /** The last status byte, for a port that leaves it out when it repeats; 0 before the first. */
  readonly status: number;
  /**
   * For each key of each channel that went through and is still down, the key it became: its release goes there,
   * whatever is set by then.
   */
  readonly down: ReadonlyMap<number, number>;
}
export const AT_REST: KeyboardState = { status: 0, down: new Map() };

export type Outcome =
  | { readonly type: 'through'; readonly message: KeyMessage }
  | { readonly type: 'left out'; readonly why: MessageKind | 'channel' | 'range' }
  /** Clock, active sensing, a broken message: nothing that is played. */
  | { readonly type: 'nothing'; readonly broken: boolean };

const SYSTEM = 0xf0;
const PEDALS = new Set([65, 66, 67, 68, 69]);
const MIDDLE_RELEASE = 64;

/** Touch through the curve: a power law from the softest note to the hardest. A plain curve changes none. */
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

/**
 * A message whole, with the status byte that a port may leave out when it repeats; undefined when it cannot be made
 * whole.
 */
function whole(data: ArrayLike<number>, status: number): number[] | undefined {
  const bytes = Array.from(data);
  if (bytes.length === 0) return undefined;
  if (bytes[0]! >= 0x80) return bytes;
  // As many data bytes as that status has, or it is not the rest of such a message.
  const wanted = status >> 4 === 0xc || status >> 4 === 0xd ? 1 : 2;
  return status >= 0x80 && status < SYSTEM && bytes.length === wanted ? [status, ...bytes] : undefined;
}

/**
 * One message through a keyboard's settings: channel, filter, range, transposition, touch. Pure: the same stream and
 * the same settings give the same notes.
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
    // Real-time messages may stand anywhere and end nothing.
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
  // A keyboard in layers sends a key on several channels: each of them is released by its own.
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
