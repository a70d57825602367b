import { defineStore } from 'pinia';
import { shallowReactive } from 'vue';

/** Progress of long work, shown at the station that does it. */
export const useLongWork = defineStore('long work', () => {
  const all = shallowReactive(new Map<string, () => number | null>());
  /** @param station that shows it @param done 0 to 1; null without any */
  const at = (station: string, done: () => number | null): void => void all.set(station, done);
  /** Words such as "43%"; empty where nothing is under way. */
  function words(station: string): string {
    const done = all.get(station)?.() ?? null;
    return done === null ? '' : `${Math.floor(100 * done)}%`;
  }
  return { at, words };
});
