import { z } from 'zod';

/** Finding of a check that the player accepted: its fingerprint, which changes with the finding, and the reason. */
export const waivedSchema = z
  .object({ check: z.string().min(1).max(160), words: z.string().max(300), reason: z.string().trim().min(1).max(300) })
  .readonly();
export type Waived = z.infer<typeof waivedSchema>;
