import { z } from 'zod';
import { recipeSchema } from '../timing/schema';
import { id, keyNumber, rangeSchema } from '../vocabulary/fields';
import { LAP_POLICIES, MODES, WAITS } from '../vocabulary/modes';

const keysSchema = z.object({ low: keyNumber, high: keyNumber }).readonly();

const spanSchema = z.object({ count: z.number().int().min(0).max(64), unit: z.enum(['bars', 'beats']) }).readonly();
const brief = z.object({
  countOffBars: z.number().int().min(0).max(8),
  /** Beats of count-off in place of bars, or null. */
  countOffBeats: z.number().int().min(1).max(32).nullable().default(null),
  /** The part that hears the keys, or null. */
  part: id.nullable(),
  /** The port that part hears by its id, or null for any. */
  keyboard: z.string().max(200).nullable(),
  /** The keys that part hears. */
  keys: keysSchema.default({ low: 0, high: 127 }),
  /** Other parts that hear the keys at the same time. */
  also: z
    .array(z.object({ part: id, keyboard: z.string().max(200).nullable(), low: keyNumber, high: keyNumber }).readonly())
    .max(14)
    .readonly()
    .default([]),
  mode: z.enum(MODES),
  /** Range of in and out, as far as they are switched on; null: never set. */
  range: rangeSchema.nullable(),
  /** Without it, recording goes from the playhead. */
  punchIn: z.boolean().default(true),
  /** Without it, recording goes to the song's end. */
  punchOut: z.boolean().default(true),
  /** Grid that bars and brackets go to when they are dragged. */
  snap: z.enum(['bar', 'beat', 'free']).default('bar'),
  /** True if Play counts off as well. */
  countOnPlay: z.boolean().default(false),
  /** Wait: whether the count goes round until the first note. */
  wait: z.enum(WAITS).default('no'),
  /** Length of music before the recording. */
  leadIn: spanSchema.default({ count: 0, unit: 'bars' }),
  leadInOn: z.boolean().default(true),
  /** Length of music that follows the recording's end. */
  leadOut: spanSchema.default({ count: 0, unit: 'bars' }),
  /** Goes round between in and out. */
  loop: z.boolean().default(false),
  /** Policy of each lap, in place of the mode. */
  laps: z.enum(LAP_POLICIES).default('a new take each'),
  /** Distance ahead of the start within which a note still belongs to the recording, in ticks; at most a quarter. */
  early: z.number().min(0).max(960).default(240),
  /** Length of a rest that ends a phrase, for "replace while I play", in ticks. */
  gap: z
    .number()
    .min(1)
    .max(960 * 16)
    .default(960),
  /** The one controller that is recorded, its lane's name, or null for everything. */
  ride: z.string().max(40).nullable().default(null),
  quantize: recipeSchema.nullable(),
});
export const briefSchema = brief.readonly();
export const briefFields = brief.shape;
export type Brief = z.infer<typeof briefSchema>;

/** Settings of a pass when nothing has been asked for: one bar's count, then a new take. */
export const PLAIN_PASS = {
  countOffBars: 1,
  countOffBeats: null,
  mode: 'new take',
  countOnPlay: false,
  wait: 'no',
  leadIn: { count: 0, unit: 'bars' },
  leadInOn: true,
  leadOut: { count: 0, unit: 'bars' },
  loop: false,
  laps: 'a new take each',
  early: 240,
  gap: 960,
  ride: null,
  quantize: null,
} as const satisfies Partial<Brief>;

/** A brief that asks for a plain new take of a part. */
export const newBrief = (part: string | null): Brief => ({
  ...PLAIN_PASS,
  part,
  keyboard: null,
  keys: { low: 0, high: 127 },
  also: [],
  range: null,
  punchIn: true,
  punchOut: true,
  snap: 'bar',
});
