import { z } from 'zod';
import { bankPresetSchema, MOST_PRESETS } from '../files/soundBank';
import { deliverySchema, type Delivery } from '../handover/delivery';
import { presetSchema, type Preset } from '../recording/presets';
import type { Feel } from '../timing/feel';
import type { Recipe } from '../timing/recipe';
import { feelSchema, recipeSchema } from '../timing/schema';

const keptBankSchema = z
  .object({
    hash: z.string().regex(/^[0-9a-f]{64}$/),
    bytes: z.number().int().positive(),
    presets: z.array(bankPresetSchema).min(1).max(MOST_PRESETS).readonly(),
  })
  .readonly();
/** A sound bank: its file, and what is in it. */
export type KeptBank = z.infer<typeof keptBankSchema>;

/** Kinds of what is kept by name, beside all songs. */
export interface KeptValues {
  readonly recipes: Recipe;
  readonly feels: Feel;
  /** Deliveries, by the client's name. */
  readonly deliveries: Delivery;
  /** Ways of recording. */
  readonly presets: Preset;
  /** Sound banks that were brought in. */
  readonly banks: KeptBank;
}
export type KeptKind = keyof KeptValues;
export interface KeptOne<K extends KeptKind> {
  readonly name: string;
  readonly value: KeptValues[K];
}
export type Kept<K extends KeptKind> = readonly KeptOne<K>[];

/** Names are told apart as they are stored: without blanks around them. */
export const keptName = z.string().trim().min(1).max(60);
const one = <Value>(value: z.ZodType<Value>) => z.object({ name: keptName, value }).readonly();
export const KEPT: { readonly [K in KeptKind]: z.ZodType<KeptOne<K>> } = {
  recipes: one<Recipe>(recipeSchema),
  feels: one<Feel>(feelSchema),
  deliveries: one<Delivery>(deliverySchema),
  presets: one<Preset>(presetSchema),
  banks: one<KeptBank>(keptBankSchema),
};
export const KEPT_KINDS = Object.keys(KEPT) as KeptKind[];
/** No more are kept of a kind. */
export const MOST_KEPT = 200;
