import { shallowRef, type ShallowRef } from 'vue';
import type { AudioEngine } from '~~/engine/audio';
import { GRAND } from '~~/engine/instrument/sounds';
import { SureWorker } from '~/workers/sureWorker';
import BankWorker from './bank.worker.ts?worker';
import type { BankOrder, BankWord } from './bank.worker';

/** Addresses of the banks that ship beside General MIDI's. */
const SHIPPED: Readonly<Record<string, string>> = { [GRAND]: '/bank/grand/grand.sf3' };

/** Further banks that are on their way, by their names, and the share of each that is here, 0 to 1. */
export type BanksComing = ShallowRef<ReadonlyMap<string, number>>;
export const noBanksComing = (): BanksComing => shallowRef(new Map());

/**
 * Has each further bank that the engine wants read by a worker of its own, which goes on giving it sound.
 * @param failed called with the name of one that cannot be played, and why
 */
export function serveBanks(
  engine: AudioEngine,
  coming: BanksComing,
  failed: (name: string, reason: string) => void,
): void {
  const workers = new Map<string, SureWorker>();
  const setShare = (name: string, share: number): void => {
    const others = [...coming.value].filter(([other]) => other !== name);
    coming.value = new Map(share < 1 ? [...others, [name, share]] : others);
  };
  const end = (name: string): void => {
    workers.get(name)?.terminate();
    workers.delete(name);
    setShare(name, 1);
  };
  engine.onBankWanted = (name, to) => {
    const worker = new SureWorker(() => new BankWorker());
    workers.set(name, worker);
    worker.addEventListener('message', (event) => {
      const word = (event as MessageEvent<BankWord>).data;
      if ('share' in word) setShare(name, word.share);
      else engine.giveUpBank(name, word.trouble);
    });
    const address = new URL(SHIPPED[name] ?? `/api/banks/${name}`, location.origin).href;
    worker.postMessage({ address, to } satisfies BankOrder, [to]);
  };
  engine.onBankFailed = (name, reason) => {
    end(name);
    failed(name, reason);
  };
  // A bank that ships is small, and soon wanted again; others may take hundreds of megabytes.
  engine.onBankUnused = (name) => {
    if (SHIPPED[name]) return;
    end(name);
    engine.dropBank(name);
  };
}
