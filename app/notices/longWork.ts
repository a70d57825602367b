import { defineStore } from 'pinia';
import { shallowReactive } from 'vue';

/** Long work that goes on whatever page is shown: whoever does it says how far it is, at its own station. */
export const useLongWork = defineStore('long work', () => {
  const all = shallowReactive(new Map<string, () => number | null>());
  /**
   * @param station where it is shown
   * @param done how far it is, 0 to 1; null while there is none
   */
  const at = (station: string, done: () => number | null): void => void all.set(station, done);
  /** "43%", and nothing where nothing goes on. */
  function words(station: string): string {
    const done = all.get(station)?.() ?? null;
    return done === null ? '' : `${Math.floor(100 * done)}%`;
  }
  return { at, words };
});
