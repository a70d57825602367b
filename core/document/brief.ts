import { z } from 'zod';
import { recipeSchema } from '../timing/schema';
import { id, keyNumber, rangeSchema } from '../vocabulary/fields';
import { LAP_POLICIES, MODES, WAITS } from '../vocabulary/modes';

const keysSchema = z.object({ low: keyNumber, high: keyNumber }).readonly();

const spanSchema = z.object({ count: z.number().int().min(0).max(64), unit: z.enum(['bars', 'beats']) }).readonly();
const brief = z.object({
  countOffBars: z.number().int().min(0).max(8),
  /** Number of beats of the count-off, instead of bars; null for bars. */
  countOffBeats: z.number().int().min(1).max(32).nullable().default(null),
  /** Armed part, or null. */
  part: id.nullable(),
  /** Port id of the part's keyboard, or null for any. */
  keyboard: z.string().max(200).nullable(),
  /** Keys that the part records. */
  keys: keysSchema.default({ low: 0, high: 127 }),
  /** Other armed parts. */
  also: z
    .array(z.object({ part: id, keyboard: z.string().max(200).nullable(), low: keyNumber, high: keyNumber }).readonly())
    .max(14)
    .readonly()
    .default([]),
  mode: z.enum(MODES),
  /** Range of in and out, whichever of them is on; null if never set. */
  range: rangeSchema.nullable(),
  /** True for recording from the in; otherwise it starts at the playhead. */
  punchIn: z.boolean().default(true),
  /** True for recording to the out; otherwise it ends with the song. */
  punchOut: z.boolean().default(true),
  /** Grid to which bars and brackets snap. */
  snap: z.enum(['bar', 'beat', 'free']).default('bar'),
  /** True if Play has a count-off too. */
  countOnPlay: z.boolean().default(false),
  /** Wait of the count for the first note: none, or what that note is (`WAITS`). */
  wait: z.enum(WAITS).default('no'),
  /** Length of music before the recording. */
  leadIn: spanSchema.default({ count: 0, unit: 'bars' }),
  leadInOn: z.boolean().default(true),
  /** Length of music after the recording's end. */
  leadOut: spanSchema.default({ count: 0, unit: 'bars' }),
  /** True for a loop between in and out. */
  loop: z.boolean().default(false),
  /** Policy for laps, instead of the mode. */
  laps: z.enum(LAP_POLICIES).default('a new take each'),
  /**
   * Early allowance: distance ahead of the start within which a note still belongs to the recording, in ticks; at most
   * a quarter.
   */
  early: z.number().min(0).max(960).default(240),
  /** Least rest that ends a phrase in mode "replace while I play", in ticks. */
  gap: z
    .number()
    .min(1)
    .max(960 * 16)
    .default(960),
  /** Lane of the only controller that is recorded, or null for everything. */
  ride: z.string().max(40).nullable().default(null),
  quantize: recipeSchema.nullable(),
});
export const briefSchema = brief.readonly();
export const briefFields = brief.shape;
export type Brief = z.infer<typeof briefSchema>;

/** Default settings of a pass: one bar's count, then a new take. */
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

/** Brief for a plain new take of a part. */
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
