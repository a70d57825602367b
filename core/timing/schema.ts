import { z } from 'zod';
import { noteSetSchema } from '../performance/noteSet';
import { id, name, noteId, range } from '../vocabulary/fields';
import { MOST_PLACES } from './feel';
import { GRIDS } from './grid';
import { ENDS, LINES, WAYS } from './recipe';
import { MOST_SWING, STRAIGHT, SWING_OF } from './swing';

const share = z.number().min(0).max(1);
const touch = z.number().min(1).max(127);
const key = z.number().int().min(0).max(127);
/** Most milliseconds that everything can be set earlier or later. */
const MOST_OFFSET = 100;
/** The widest gap in a chord, and the widest of what is left alone. */
export const MOST_CHORD = 150;
export const MOST_ALONE = 200;
export const MOST_SPREAD = 40;

export const feelSchema = z
  .object({
    name,
    bar: z.number().positive().max(200_000),
    places: z
      .array(
        z
          .object({
            at: z.number().min(0).max(200_000),
            ms: z.number().min(-500).max(500),
            touch: z.number().min(-127).max(127),
          })
          .readonly(),
      )
      .max(MOST_PLACES)
      .readonly(),
  })
  .readonly();

const recipe = {
  grid: z.enum(GRIDS as [(typeof GRIDS)[number], ...typeof GRIDS]),
  second: z.enum(GRIDS as [(typeof GRIDS)[number], ...typeof GRIDS]).optional(),
  lines: z.enum(LINES).optional(),
  way: z.enum(WAYS).optional(),
  strength: share,
  ends: z.enum(ENDS),
  endStrength: share.optional(),
  drift: share.optional(),
  small: share.optional(),
  swing: z
    .object({
      percent: z.number().min(STRAIGHT).max(MOST_SWING),
      of: z.union([z.literal(SWING_OF[0]), z.literal(SWING_OF[1])]),
    })
    .readonly()
    .optional(),
  offset: z.number().min(-MOST_OFFSET).max(MOST_OFFSET).optional(),
  within: z.number().min(0).max(MOST_ALONE).optional(),
  beyond: z.number().min(0).max(MOST_ALONE).optional(),
  chord: z.number().min(0).max(MOST_CHORD).optional(),
  touch: z
    .object({ level: touch.optional(), strength: share.optional(), range: z.number().min(0).max(2).optional() })
    .readonly()
    .optional(),
  feel: z.object({ feel: feelSchema, timing: share, touch: share }).readonly().optional(),
  loose: z
    .object({
      spread: z.number().min(0).max(MOST_SPREAD),
      seed: z
        .number()
        .int()
        .min(0)
        .max(2 ** 31 - 1),
    })
    .readonly()
    .optional(),
};
export const recipeSchema = z.object(recipe).readonly();

export const treatmentSchema = z
  .object({
    id,
    ...range,
    ...recipe,
    /** Layers whose notes it moves, where it is not all. */
    layers: z.array(id).min(1).readonly().optional(),
    keys: z.object({ low: key, high: key }).readonly().optional(),
    notes: noteSetSchema.optional(),
  })
  .readonly();

/** Decisions of the player about single notes: the line they belong to, as it is written, or that they stay. */
export const decidedSchema = z.record(noteId, z.union([z.number().min(-1e7).max(1e9), z.literal('played')])).readonly();
