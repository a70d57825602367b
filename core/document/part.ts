import { z } from 'zod';
import { placementSchema } from '../placement/schema';
import { recordingId } from '../takes/schema';
import { decidedSchema, treatmentSchema } from '../timing/schema';
import { gainDb, id, name } from '../vocabulary/fields';
import { MOST_BARS } from '../vocabulary/limits';
import { rememberedList } from '../vocabulary/rememberedList';
import { soundName, soundSchema, type Sound } from '../vocabulary/sounds';
import { PLAIN_TONE, toneSchema, toneWords, type Tone } from './tone';
import { joinSchema, lanePickSchema, pickSchema, takeSchema } from './take';

/** Names of parts' colours, which the themes define. */
export const INKS = ['sea', 'moss', 'plum', 'brass', 'rust', 'slate'] as const;

const handedSchema = z
  .object({
    /** ISO 8601. */
    at: z.string(),
    /** Number of the delivery's version. */
    version: z.number().int().min(1),
    /** Fingerprint of each bar, bar 1 first, by `barFingerprints`. */
    bars: z.array(z.string().max(40)).max(MOST_BARS).readonly(),
  })
  .readonly();
/** Record of programs without versions, which stored picks and treatments; what sounded cannot be told from it. */
const formerHanded = z.object({ at: z.string(), comp: z.array(z.unknown()) }).transform(() => null);

const inputSchema = z
  .object({ device: z.string().max(200), name: z.string().max(200), channels: z.union([z.literal(1), z.literal(2)]) })
  .readonly();
export type SoundInput = z.infer<typeof inputSchema>;

/** Bars of the line that were played out to the outside instrument once, with the sound that came back. */
export const soundedAgainSchema = z
  .object({
    id,
    /** Recording of its input from that playing-out. */
    recording: recordingId,
    /** Latency of that input, in seconds. */
    input: z.number().min(-1).max(5),
    /** Number of the first bar. */
    first: z.number().int().min(1).max(MOST_BARS),
    /** Start of each bar on the rolling clock, in seconds, and its fingerprint. */
    bars: z
      .array(z.object({ at: z.number().finite(), sign: z.string().max(40) }).readonly())
      .min(1)
      .max(MOST_BARS)
      .readonly(),
    /** ISO 8601. */
    at: z.string().max(40),
  })
  .readonly();
export type SoundedAgain = z.infer<typeof soundedAgainSchema>;
/** Most playings-out that are remembered; the oldest are dropped. */
export const MOST_SOUNDED_AGAIN = 500;

const part = z.object({
  id,
  name,
  ink: z.enum(INKS),
  sound: soundSchema,
  tone: toneSchema,
  gainDb,
  muted: z.boolean(),
  solo: z.boolean(),
  placement: placementSchema,
  /**
   * Monitoring of the keys: through this program, by the keyboard's own sound, or by an instrument at a MIDI output.
   */
  monitor: z.enum(['program', 'keyboard', 'output']).default('program'),
  /** Port id of that output. */
  output: z.string().max(200).nullable().default(null),
  /**
   * Audio input of the part's outside instrument, which is recorded beside its keys, by device id and name; null
   * without one.
   */
  input: inputSchema.nullable().default(null),
  /** Sound in which the part is heard and handed over: the program's, or the recorded one. */
  heardAs: z.enum(['program', 'recorded']).default('program'),
  /** Playings-out of its line for their sound alone, the newest last. */
  soundedAgain: z.array(soundedAgainSchema).max(MOST_SOUNDED_AGAIN).readonly().default([]),
  /** True if the existing line is heard while it is recorded over. */
  overLine: z.boolean().default(false),
  takes: rememberedList(takeSchema),
  comp: z.array(pickSchema).readonly(),
  /** Controllers that are picked separately, over the comp. */
  lanes: z.array(lanePickSchema).readonly().default([]),
  /** Choices for joins; those for joins that are gone stay until the next pick there. */
  joins: z.array(joinSchema).readonly().default([]),
  /** True for a part that was put away: unheard and unlisted, with nothing lost. */
  away: z.boolean().default(false),
  treatments: rememberedList(treatmentSchema),
  /** Player's decisions about unsure notes, also of notes that are not heard now. */
  decided: decidedSchema.default({}),
  /** State at the last hand-over; null before the first. */
  handed: z.union([handedSchema, formerHanded]).nullable().default(null),
  /** Name of the demo's written part that the Bench keyboard plays, or null. */
  sheet: z.string().max(80).nullable(),
});
export const partSchema = part.readonly();
export const partFields = part.shape;
export type Part = z.infer<typeof partSchema>;

/** Words for the sound that a part is heard in. */
export const heardWords = ({ heardAs, sound, tone }: Pick<Part, 'heardAs' | 'sound' | 'tone'>): string =>
  heardAs === 'recorded' ? 'its recorded sound' : [soundName(sound), ...toneWords(tone)].join(', ');

/** Words for a song without a part to look at. */
export const noPartWords = (parts: readonly Pick<Part, 'away'>[]): string =>
  parts.length > 0 ? 'Every part of this song is put away.' : 'This song has no parts yet.';

/** Parts that are not put away. @example atHand([{ away: true }, { away: false }]) // [{ away: false }] */
export const atHand = <P extends Pick<Part, 'away'>>(parts: readonly P[]): P[] => parts.filter((p) => !p.away);

export interface NewPart {
  readonly id: string;
  readonly name: string;
  readonly sound?: Sound;
  readonly tone?: Tone;
  readonly sheet?: string | null;
  readonly gainDb?: number;
}

/** New part without takes; its colour follows from the number of parts. */
export function newPart(
  { id: partId, name: title, sound = 'full grand', tone = PLAIN_TONE, sheet = null, gainDb: db = -6 }: NewPart,
  count: number,
): Part {
  return {
    id: partId,
    name: title,
    ink: INKS[count % INKS.length]!,
    sound,
    tone,
    gainDb: db,
    muted: false,
    solo: false,
    placement: { policy: 'heard', nudge: 0 },
    monitor: 'program',
    output: null,
    input: null,
    heardAs: 'program',
    soundedAgain: [],
    overLine: false,
    takes: [],
    comp: [],
    lanes: [],
    joins: [],
    away: false,
    treatments: [],
    decided: {},
    handed: null,
    sheet,
  };
}
