import { z } from 'zod';
import { PATTERNS } from '../backing/patterns';
import { id, name } from '../vocabulary/fields';
import { MOST_SECTION_BARS } from '../vocabulary/limits';

export const sectionSchema = z
  .object({
    id,
    name,
    bars: z.number().int().min(1).max(MOST_SECTION_BARS),
    /** Drum rhythm under the section, or null. */
    pattern: z.enum(PATTERNS).nullable().default(null),
  })
  .readonly();
export type Section = z.infer<typeof sectionSchema>;
