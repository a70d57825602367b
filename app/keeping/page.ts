import { proxy, wrap, type Remote } from 'comlink';
import KeeperWorker from './keeper.worker.ts?worker';
import type { Keeper } from './keeper';
import type { Keeping, Refusal } from './outbox';

/**
 * The keeper, in its worker, as the page talks to it: what is handed over is kept in the order of the calls.
 * @param failed told when the worker does not run
 */
export function keeperOf(
  said: (state: Keeping) => void,
  refused: (refusal: Refusal) => Promise<'drop' | 'retry'>,
  failed: () => void,
): Remote<Keeper> {
  const worker = new KeeperWorker();
  worker.addEventListener('error', failed);
  const keeper = wrap<Keeper>(worker);
  void keeper.listen(proxy(said), proxy(refused));
  return keeper;
}
