import { z } from 'zod';

/** A check that the player has waved through: its fingerprint, which changes with what it found, and the reason. */
export const waivedSchema = z
  .object({ check: z.string().min(1).max(160), words: z.string().max(300), reason: z.string().trim().min(1).max(300) })
  .readonly();
export type Waived = z.infer<typeof waivedSchema>;
