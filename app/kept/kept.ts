import { defineStore } from 'pinia';
import { ref, shallowRef, type ShallowRef } from 'vue';
import { KEPT, KEPT_KINDS, type Kept, type KeptKind, type KeptValues } from '~~/core/kept/kept';
import { presetOf, type Preset } from '~~/core/recording/presets';
import type { Feel } from '~~/core/timing/feel';
import { recipeOf, type Recipe } from '~~/core/timing/recipe';
import { ask, wordsOf } from '~/api/api';
import { useNotices } from '~/notices/notices';

/** Recipes, feels, deliveries, presets and sound banks that are kept by name, for all songs. */
export const useKept = defineStore('kept', () => {
  const notices = useNotices();
  const recipes = shallowRef<Kept<'recipes'>>([]);
  const feels = shallowRef<Kept<'feels'>>([]);
  const deliveries = shallowRef<Kept<'deliveries'>>([]);
  const presets = shallowRef<Kept<'presets'>>([]);
  const banks = shallowRef<Kept<'banks'>>([]);
  const lists: { readonly [K in KeptKind]: ShallowRef<Kept<K>> } = { recipes, feels, deliveries, presets, banks };
  /** Reason why the lists may be incomplete; empty where they are complete. */
  const unread = ref('');

  function show<K extends KeptKind>(kind: K, stored: readonly unknown[]): void {
    const all = stored.map((one) => KEPT[kind].parse(one));
    (lists[kind] as ShallowRef<Kept<K>>).value = all.sort((a, b) => a.name.localeCompare(b.name));
  }
  const read = async (kind: KeptKind): Promise<void> => show(kind, await ask<unknown[]>(`/api/kept/${kind}`));
  /** Loads the lists again, as another window may have changed them. */
  const refresh = (): Promise<void> =>
    Promise.all(KEPT_KINDS.map(read)).then(
      () => void (unread.value = ''),
      (error: unknown) => void (unread.value = `What is kept by name could not be read: ${wordsOf(error)}`),
    );

  /** Sends one change and shows the lists that result. @returns false where it failed */
  async function send(kind: KeptKind, path: string, how: 'PUT' | 'DELETE', body?: unknown): Promise<boolean> {
    try {
      show(kind, await ask<unknown[]>(`/api/kept/${kind}${path}`, body, how));
      return true;
    } catch (error) {
      const what = how === 'PUT' ? 'It was not kept under its name' : 'It was not forgotten';
      notices.say(`${what}: ${wordsOf(error)} What is set is as it was.`);
      return false;
    }
  }
  /** Keeps a value; a name in use gets the new value. */
  const keep = <K extends KeptKind>(kind: K, name: string, value: KeptValues[K]): Promise<boolean> =>
    send(kind, '', 'PUT', { name, value });

  /** Forgets a name; its notice can bring it back. */
  async function forget<K extends KeptKind>(kind: K, name: string): Promise<boolean> {
    const was = (lists[kind] as ShallowRef<Kept<K>>).value.find((k) => k.name === name);
    const gone = await send(kind, `?name=${encodeURIComponent(name)}`, 'DELETE');
    if (gone && was)
      notices.say(`“${name}” is forgotten.`, 'plain', {
        action: { label: 'Bring it back', run: () => void keep(kind, name, was.value) },
      });
    return gone;
  }

  return {
    ...{ recipes, feels, deliveries, presets, banks, unread, refresh, keep, forget },
    /** Adds a sound bank whose bytes are on the server. @throws with what is wrong with it */
    keepBank: async (name: string, hash: string) =>
      show('banks', await ask<unknown[]>('/api/banks', { name, hash }, 'POST')),
    forgetBank: (name: string) => forget('banks', name),
    keepRecipe: (name: string, recipe: Recipe) => keep('recipes', name, recipeOf(recipe)),
    forgetRecipe: (name: string) => forget('recipes', name),
    keepFeel: (feel: Feel) => keep('feels', feel.name, feel),
    forgetFeel: (name: string) => forget('feels', name),
    keepPreset: (name: string, brief: Preset) => keep('presets', name, presetOf(brief)),
    forgetPreset: (name: string) => forget('presets', name),
  };
});
