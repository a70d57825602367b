import { onScopeDispose, shallowRef, watch, type Ref } from 'vue';
import type { ToComparing, FromComparing } from './comparing.worker';
import { SureWorker } from '~/workers/sureWorker';
import ComparingWorker from './comparing.worker.ts?worker';

type Asked = Omit<ToComparing, 'asked'>;
/** Delay after a change before takes are compared, so that quick changes are compared once. */
const RESTS_AFTER_MS = 120;

/** Comparison of the takes as they are now; null until the worker has it. */
export function useComparing(what: () => Asked | null): Ref<Omit<FromComparing, 'asked'> | null> {
  const worker = new SureWorker(() => new ComparingWorker());
  const known = shallowRef<Omit<FromComparing, 'asked'> | null>(null);
  let asked = 0;
  let waiting: ReturnType<typeof setTimeout> | undefined;
  worker.addEventListener('message', (event) => {
    const { data } = event as MessageEvent<FromComparing>;
    if (data.asked === asked) known.value = data;
  });
  watch(
    what,
    (now) => {
      clearTimeout(waiting);
      asked += 1;
      if (!now) known.value = null;
      else waiting = setTimeout(() => worker.postMessage({ asked, ...now } satisfies ToComparing), RESTS_AFTER_MS);
    },
    { immediate: true },
  );
  onScopeDispose(() => {
    clearTimeout(waiting);
    worker.terminate();
  });
  return known;
}
