import { z } from 'zod';

/** The largest nudge of a part, either way, in milliseconds. */
export const MOST_NUDGE = 1000;

export const placementSchema = z
  .object({
    policy: z.enum(['played', 'heard']),
    /** In milliseconds, later is positive. */
    nudge: z.number().min(-MOST_NUDGE).max(MOST_NUDGE),
  })
  .readonly();
