import { proxy, wrap, type Remote } from 'comlink';
import KeeperWorker from '~/workers/keeper.worker.ts?worker';
import type { Keeper } from './keeper';
import type { Keeping, Refusal } from './outbox';

/** The keeper, in its worker, as the page talks to it: what is handed over is kept in the order of the calls. */
export function keeperOf(said: (state: Keeping) => void, refused: (refusal: Refusal) => Promise<'drop' | 'retry'>): Remote<Keeper> {
  const keeper = wrap<Keeper>(new KeeperWorker());
  void keeper.listen(proxy(said), proxy(refused));
  return keeper;
}
