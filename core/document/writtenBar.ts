import { z } from 'zod';
import { LONGEST_WRITTEN, MOST_BARS } from '../vocabulary/limits';

/** Bar of the written part. Any of its fields may be empty, but not all. */
export const writtenBarSchema = z
  .object({
    bar: z.number().int().min(1).max(MOST_BARS),
    /** Rehearsal letter, as "B" or "C2". */
    letter: z.string().max(4).default(''),
    /** Symbols as they were written, one after another; a dot goes on for a beat: "D7sus4 . . D7". */
    chords: z.string().max(LONGEST_WRITTEN).default(''),
    /** A short note: "softly", "tacet". */
    words: z.string().max(LONGEST_WRITTEN).default(''),
  })
  .readonly();
export type WrittenBar = z.infer<typeof writtenBarSchema>;
