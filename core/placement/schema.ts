import { z } from 'zod';

export const placementSchema = z
  .object({
    policy: z.enum(['played', 'heard']),
    /** In milliseconds, later is positive. */
    nudge: z.number().min(-1000).max(1000),
  })
  .readonly();
