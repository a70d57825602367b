import { z } from 'zod';
import { id } from '../vocabulary/fields';
import { LONGEST_ANSWER, LONGEST_NOTE, MOST_BARS, MOST_NOTE_STRETCHES } from '../vocabulary/limits';

const bar = z.number().int().min(1).max(MOST_BARS);

const clientNote = z.object({
  id,
  text: z.string().trim().min(1).max(LONGEST_NOTE),
  /** Ranges of bars that it means, in order, `last` included; null until somebody has said which. */
  bars: z
    .array(z.object({ first: bar, last: bar }).readonly())
    .min(1)
    .max(MOST_NOTE_STRETCHES)
    .readonly()
    .nullable(),
  /** Version that it speaks of; null for one that was written before anything went out. */
  of: z.number().int().min(1).nullable(),
  /**
   * Fingerprint of what those bars sounded like when it came (`fingerprintOfBars`); empty while nobody has said which
   * they are.
   */
  heard: z.string().max(40),
  /**
   * With a word of answer, which may be empty, and the version that told it, null until one has; null while the note
   * is open.
   */
  done: z
    .object({ answer: z.string().max(LONGEST_ANSWER), in: z.number().int().min(1).nullable() })
    .readonly()
    .nullable(),
});
export const clientNoteSchema = clientNote.readonly();
export const clientNoteFields = clientNote.shape;
export type ClientNote = z.infer<typeof clientNoteSchema>;
