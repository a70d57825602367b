import { z } from 'zod';
import { gainDb } from '../vocabulary/fields';

export const CLICK_SOUNDS = ['wood', 'tick', 'tone'] as const;
export type ClickSound = (typeof CLICK_SOUNDS)[number];
export const CLICK_WHEN = ['counting', 'recording', 'always', 'never'] as const;
export type ClickWhen = (typeof CLICK_WHEN)[number];

const click = z.object({
  sound: z.enum(CLICK_SOUNDS).default('tone'),
  /** True if a bar's first beat sounds different. */
  accent: z.boolean().default(true),
  /** Clicks in a beat. */
  subdivision: z.number().int().min(1).max(4).default(1),
  /** Times at which it is heard: only while counting, also while recording, always, or never. */
  when: z.enum(CLICK_WHEN).default('always'),
  gainDb,
});
export const clickSchema = click.readonly();
export const clickFields = click.shape;
export type Click = z.infer<typeof clickSchema>;
