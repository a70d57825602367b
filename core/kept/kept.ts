import { z } from 'zod';
import { deliverySchema, type Delivery } from '../handover/delivery';
import { eachNamedOnce, NAMED_TWICE } from '../vocabulary/named';
import type { Feel } from '../timing/feel';
import type { Recipe } from '../timing/recipe';
import { feelSchema, recipeSchema } from '../timing/schema';

const keptName = z.string().trim().min(1).max(60);
const list = <Value>(value: z.ZodType<Value>): z.ZodType<readonly { readonly name: string; readonly value: Value }[]> =>
  z
    .array(z.object({ name: keptName, value }))
    .max(200)
    .refine(eachNamedOnce, NAMED_TWICE)
    .readonly();

/** Kinds of what is kept by name, beside all songs. */
export interface KeptValues {
  readonly recipes: Recipe;
  readonly feels: Feel;
  /** What a client gets, by the client's name. */
  readonly deliveries: Delivery;
}
export type KeptKind = keyof KeptValues;
export type Kept<K extends KeptKind> = readonly { readonly name: string; readonly value: KeptValues[K] }[];
export const KEPT: { readonly [K in KeptKind]: z.ZodType<Kept<K>> } = {
  recipes: list<Recipe>(recipeSchema),
  feels: list<Feel>(feelSchema),
  deliveries: list<Delivery>(deliverySchema),
};
export const KEPT_KINDS = Object.keys(KEPT) as KeptKind[];
