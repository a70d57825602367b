import { z } from 'zod';
import { id } from '../vocabulary/fields';
import { LONGEST_ANSWER, LONGEST_NOTE, MOST_BARS, MOST_NOTE_STRETCHES } from '../vocabulary/limits';

const bar = z.number().int().min(1).max(MOST_BARS);

const clientNote = z.object({
  id,
  text: z.string().trim().min(1).max(LONGEST_NOTE),
  /** Ranges of bars in order, `last` included; null until they are known. */
  bars: z
    .array(z.object({ first: bar, last: bar }).readonly())
    .min(1)
    .max(MOST_NOTE_STRETCHES)
    .readonly()
    .nullable(),
  /** Version that it is about; null for a note from before the first. */
  of: z.number().int().min(1).nullable(),
  /** Fingerprint of those bars when the note came (`fingerprintOfBars`); empty while the bars are not known. */
  heard: z.string().max(40),
  /** Answer, which may be empty, with the version that told it, null until one has; null while the note is open. */
  done: z
    .object({ answer: z.string().max(LONGEST_ANSWER), in: z.number().int().min(1).nullable() })
    .readonly()
    .nullable(),
});
export const clientNoteSchema = clientNote.readonly();
export const clientNoteFields = clientNote.shape;
export type ClientNote = z.infer<typeof clientNoteSchema>;
