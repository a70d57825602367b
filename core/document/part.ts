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

/** The inks a part can be written in; their colours are the screen's business. */
export const INKS = ['sea', 'moss', 'plum', 'brass', 'rust', 'slate'] as const;

const handedSchema = z
  .object({
    /** ISO 8601. */
    at: z.string(),
    /** Version of the song's delivery. */
    version: z.number().int().min(1),
    /** Fingerprint of each bar's sound, bar 1 first, as `barFingerprints` says it. */
    bars: z.array(z.string().max(40)).max(MOST_BARS).readonly(),
  })
  .readonly();
/** Before versions were kept, picks and treatments were remembered here: what sounded can't be told from them. */
const formerHanded = z.object({ at: z.string(), comp: z.array(z.unknown()) }).transform(() => null);

const inputSchema = z
  .object({ device: z.string().max(200), name: z.string().max(200), channels: z.union([z.literal(1), z.literal(2)]) })
  .readonly();
export type SoundInput = z.infer<typeof inputSchema>;

/** The line of some bars, played out to the outside instrument once, with the sound that came back. */
export const soundedAgainSchema = z
  .object({
    id,
    /** The recording of its input that ran meanwhile. */
    recording: recordingId,
    /** Latency of that input, in seconds. */
    input: z.number().min(-1).max(5),
    /** The first bar's number. */
    first: z.number().int().min(1).max(MOST_BARS),
    /** For each bar from there: where it began on the rolling clock, in seconds, and what it sounded like. */
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
/** Number of times that a part can be sounded again before the first of them are no longer remembered. */
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
  /** That output's id. */
  output: z.string().max(200).nullable().default(null),
  /**
   * The input that an outside instrument's sound comes in by, which is recorded beside its keys; null where none is. By
   * what the system calls it, and by its words for people.
   */
  input: inputSchema.nullable().default(null),
  /** The part is heard and handed over by the program's instrument, or as the sound that was recorded with it. */
  heardAs: z.enum(['program', 'recorded']).default('program'),
  /** Each time that its line was played out to that instrument for its sound alone, newest last. */
  soundedAgain: z.array(soundedAgainSchema).max(MOST_SOUNDED_AGAIN).readonly().default([]),
  /** True if the line that is there is heard while it is recorded over. */
  overLine: z.boolean().default(false),
  takes: rememberedList(takeSchema),
  comp: z.array(pickSchema).readonly(),
  /** Controllers that are picked by themselves, over the comp. */
  lanes: z.array(lanePickSchema).readonly().default([]),
  /** Choices for joins of the comp; of joins that are no more, too, until the next pick there. */
  joins: z.array(joinSchema).readonly().default([]),
  /** Put away: not heard, not listed with the others, and nothing of it lost. */
  away: z.boolean().default(false),
  treatments: rememberedList(treatmentSchema),
  /** Decisions about single notes that needed an ear; of notes that are not heard now, too. */
  decided: decidedSchema.default({}),
  /** State that was last handed over, to see what has changed since; null before the first time. */
  handed: z.union([handedSchema, formerHanded]).nullable().default(null),
  /** The written part that the Bench keyboard can perform, by its name in the demo, or null. */
  sheet: z.string().max(80).nullable(),
});
export const partSchema = part.readonly();
export const partFields = part.shape;
export type Part = z.infer<typeof partSchema>;

/** Words for what a part is heard as. */
export const heardWords = ({ heardAs, sound, tone }: Pick<Part, 'heardAs' | 'sound' | 'tone'>): string =>
  heardAs === 'recorded' ? 'its recorded sound' : [soundName(sound), ...toneWords(tone)].join(', ');

/** Words for there being no part to look at. */
export const noPartWords = (parts: readonly Pick<Part, 'away'>[]): string =>
  parts.length > 0 ? 'Every part of this song is put away.' : 'This song has no parts yet.';

/**
 * The parts that are not put away.
 * @example atHand([{ away: true }, { away: false }]) // [{ away: false }]
 */
export const atHand = <P extends Pick<Part, 'away'>>(parts: readonly P[]): P[] => parts.filter((p) => !p.away);

export interface NewPart {
  readonly id: string;
  readonly name: string;
  readonly sound?: Sound;
  readonly tone?: Tone;
  readonly sheet?: string | null;
  readonly gainDb?: number;
}

/** A part with nothing played; its ink follows from how many there are. */
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
