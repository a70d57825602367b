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
/** Sound bank: its file and its sounds. */
export type KeptBank = z.infer<typeof keptBankSchema>;

/** Kinds of things kept by name, for all songs. */
export interface KeptValues {
  readonly recipes: Recipe;
  readonly feels: Feel;
  /** Deliveries, by the client's name. */
  readonly deliveries: Delivery;
  /** Presets of the brief. */
  readonly presets: Preset;
  /** Imported sound banks. */
  readonly banks: KeptBank;
}
export type KeptKind = keyof KeptValues;
export interface KeptOne<K extends KeptKind> {
  readonly name: string;
  readonly value: KeptValues[K];
}
export type Kept<K extends KeptKind> = readonly KeptOne<K>[];

/** Name without surrounding blanks. */
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
/** Most entries of a kind. */
export const MOST_KEPT = 200;
