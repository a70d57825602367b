import { z } from 'zod';
import type { Feel } from './feel';
import type { Recipe } from './recipe';
import { feelSchema, recipeSchema } from './schema';

const keptName = z.string().trim().min(1).max(60);
const list = <Value>(value: z.ZodType<Value>): z.ZodType<readonly { readonly name: string; readonly value: Value }[]> =>
  z
    .array(z.object({ name: keptName, value }))
    .max(200)
    .readonly();

/** Kinds of what is kept by name, beside all songs. */
export interface KeptValues {
  readonly recipes: Recipe;
  readonly feels: Feel;
}
export type KeptKind = keyof KeptValues;
export type Kept<K extends KeptKind> = readonly { readonly name: string; readonly value: KeptValues[K] }[];
export const KEPT: { readonly [K in KeptKind]: z.ZodType<Kept<K>> } = {
  recipes: list<Recipe>(recipeSchema),
  feels: list<Feel>(feelSchema),
};
export const KEPT_KINDS = Object.keys(KEPT) as KeptKind[];
