import { defineStore } from 'pinia';
import { shallowRef, type ShallowRef } from 'vue';
import type { Feel } from '~~/core/timing/feel';
import { KEPT, KEPT_KINDS, type Kept, type KeptKind, type KeptValues } from '~~/core/kept/kept';
import { recipeOf, type Recipe } from '~~/core/timing/recipe';
import { ask, wordsOf } from '~/api/api';
import { useNotices } from '~/notices/notices';

/** Recipes, feels and deliveries that are kept by name: beside the songs, for all of them. */
export const useKept = defineStore('kept', () => {
  const notices = useNotices();
  const recipes = shallowRef<Kept<'recipes'>>([]);
  const feels = shallowRef<Kept<'feels'>>([]);
  const deliveries = shallowRef<Kept<'deliveries'>>([]);
  const lists: { readonly [K in KeptKind]: ShallowRef<Kept<K>> } = { recipes, feels, deliveries };
  let asked: Promise<void> | null = null;

  async function read<K extends KeptKind>(kind: K): Promise<void> {
    const stored = await ask<unknown>(`/api/kept/${kind}`).catch(() => null);
    const list: ShallowRef<Kept<K>> = lists[kind];
    if (stored) list.value = KEPT[kind].parse(stored);
  }
  const load = (): Promise<void> => Promise.all(KEPT_KINDS.map(read)).then(() => {});
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

  /** A name that is there already gets the new value. */
  const keep = <K extends KeptKind>(kind: K, name: string, value: KeptValues[K]): Promise<boolean> => {
    const others = (lists[kind] as ShallowRef<Kept<K>>).value.filter((k) => k.name !== name.trim());
    return store(kind, [...others, { name: name.trim(), value }]);
  };
  const forget = <K extends KeptKind>(kind: K, name: string): Promise<boolean> =>
    store(
      kind,
      (lists[kind] as ShallowRef<Kept<K>>).value.filter((k) => k.name !== name),
    );

  return {
    ...{ recipes, feels, deliveries, ready, keep, forget },
    keepRecipe: (name: string, recipe: Recipe) => keep('recipes', name, recipeOf(recipe)),
    forgetRecipe: (name: string) => forget('recipes', name),
    keepFeel: (feel: Feel) => keep('feels', feel.name, feel),
    forgetFeel: (name: string) => forget('feels', name),
  };
});
