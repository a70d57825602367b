import { computed, ref, watch, type ComputedRef } from 'vue';
import type { Milliseconds, Seconds } from '~~/core/time/units';

/** Duration below which no remaining time is told. */
const SHORT: Milliseconds = 1000;
/** Progress below which the remaining time is not estimated. */
const ENOUGH = 0.05;

export const leftWords = (seconds: Seconds): string =>
  seconds < 60 ? `${Math.max(1, Math.round(seconds))} s left` : `${Math.ceil(seconds / 60)} min left`;

/** "43%", and after a second "43%, 8 s left". @param done 0 to 1 @param took so far */
export function howFarWords(done: number, took: Milliseconds): string {
  const percent = `${Math.floor(100 * done)}%`;
  if (took < SHORT || done < ENOUGH || done >= 1) return percent;
  return `${percent}, ${leftWords((took / 1000 / done) * (1 - done))}`;
}

/** Words for the progress and the remaining time of some work. @param done 0 to 1; null without any */
export function useHowFar(done: () => number | null): ComputedRef<string> {
  const began = ref(0);
  watch(
    () => done() === null,
    (rests) => {
      if (!rests) began.value = performance.now();
    },
    { immediate: true, flush: 'sync' },
  );
  return computed(() => {
    const share = done();
    return share === null ? '' : howFarWords(share, performance.now() - began.value);
  });
}
