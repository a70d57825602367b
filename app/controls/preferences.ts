import { useLocalStorage, usePreferredDark } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed } from 'vue';
import type { Face } from '~/drawing/faces';

/** Ways to confirm a command that came from a key or a pedal. */
export const CONFIRMS = ['nothing', 'sound', 'word'] as const;
export type Confirms = (typeof CONFIRMS)[number];

/** Preferences of this browser for all songs, as its screen and room are the same. */
export const usePreferences = defineStore('preferences', () => {
  const wished = useLocalStorage<Face | 'system'>('tall-kettle light', 'system');
  const confirms = useLocalStorage<Confirms>('tall-kettle confirms', 'nothing');
  const systemIsDark = usePreferredDark();

  const face = computed((): Face => {
    if (wished.value === 'day' || wished.value === 'night') return wished.value;
    return systemIsDark.value ? 'night' : 'day';
  });
  const turnLights = (): void => {
    wished.value = face.value === 'night' ? 'day' : 'night';
  };
  return { face, turnLights, confirms };
});
