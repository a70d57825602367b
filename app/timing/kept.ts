import { defineStore } from 'pinia';
import { shallowRef, type ShallowRef } from 'vue';
import type { Feel } from '~~/core/timing/feel';
import { KEPT, type Kept, type KeptKind } from '~~/core/timing/kept';
import { recipeOf, type Recipe } from '~~/core/timing/recipe';
import { ask, wordsOf } from '~/api/api';
import { useNotices } from '~/notices/notices';

/** Recipes and feels that are kept by name: beside the songs, for all of them. */
export const useKept = defineStore('kept', () => {
  const notices = useNotices();
  const recipes = shallowRef<Kept<'recipes'>>([]);
  const feels = shallowRef<Kept<'feels'>>([]);
  const lists: { readonly [K in KeptKind]: ShallowRef<Kept<K>> } = { recipes, feels };
  let asked: Promise<void> | null = null;

  async function load(): Promise<void> {
    const [r, f] = await Promise.all([
      ask<unknown>('/api/kept/recipes').catch(() => null),
      ask<unknown>('/api/kept/feels').catch(() => null),
    ]);
    if (r) recipes.value = KEPT.recipes.parse(r);
    if (f) feels.value = KEPT.feels.parse(f);
  }
  /** Asks once. */
  const ready = (): Promise<void> => (asked ??= load());

  async function store<K extends KeptKind>(kind: K, next: Kept<K>): Promise<boolean> {
    const list: ShallowRef<Kept<K>> = lists[kind];
    const before = list.value;
    list.value = [...next].sort((a, b) => a.name.localeCompare(b.name));
    return ask(`/api/kept/${kind}`, list.value, 'PUT').then(
      () => true,
      (error: unknown) => {
        list.value = before;
        notices.say(`It was not kept under its name: ${wordsOf(error)} What is set is as it was.`);
        return false;
      },
    );
  }

  /** A name that is there already gets the new settings. */
  const keepRecipe = (name: string, recipe: Recipe): Promise<boolean> =>
    store('recipes', [
      ...recipes.value.filter((r) => r.name !== name.trim()),
      { name: name.trim(), value: recipeOf(recipe) },
    ]);
  const forgetRecipe = (name: string): Promise<boolean> =>
    store(
      'recipes',
      recipes.value.filter((r) => r.name !== name),
    );
  const keepFeel = (feel: Feel): Promise<boolean> =>
    store('feels', [...feels.value.filter((f) => f.name !== feel.name), { name: feel.name, value: feel }]);
  const forgetFeel = (name: string): Promise<boolean> =>
    store(
      'feels',
      feels.value.filter((f) => f.name !== name),
    );

  return { recipes, feels, ready, keepRecipe, forgetRecipe, keepFeel, forgetFeel };
});
