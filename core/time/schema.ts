import { z } from 'zod';
import { tick } from '../vocabulary/fields';
import { BEAT_UNITS, FASTEST_BPM, MOST_BEATS, MOST_METERS, MOST_TEMPOS, SLOWEST_BPM } from '../vocabulary/limits';

export const tempoChangeSchema = z
  .object({
    tick,
    bpm: z.number().min(SLOWEST_BPM).max(FASTEST_BPM),
    ramp: z.enum(['jump', 'linear']).optional(),
  })
  .readonly();

const meterChangeSchema = z
  .object({
    bar: z.number().int().min(1).max(100_000),
    beats: z.number().int().min(1).max(MOST_BEATS),
    unit: z.number().refine((unit) => BEAT_UNITS.includes(unit), 'a beat is a 1, 1/2, 1/4, 1/8, 1/16 or 1/32 note'),
  })
  .readonly();

/** Test for non-decreasing values. */
const rise = (values: readonly number[]): boolean => values.every((v, i) => i === 0 || v >= values[i - 1]!);

export const tempoSchema = z
  .array(tempoChangeSchema)
  .min(1)
  .max(MOST_TEMPOS)
  .refine((all) => all[0]?.tick === 0, 'the first tempo is at the song’s beginning')
  .refine((all) => rise(all.map((t) => t.tick)), 'tempos lie one after the other')
  .readonly();
export const meterSchema = z
  .array(meterChangeSchema)
  .min(1)
  .max(MOST_METERS)
  .refine((all) => all[0]?.bar === 1, 'the first meter is at bar 1')
  .refine((all) => rise(all.map((m) => m.bar)), 'meters lie one after the other')
  .readonly();
