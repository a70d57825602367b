import { shallowRef, type ShallowRef } from 'vue';
import type { AudioEngine } from '~~/engine/audio';
import { GRAND } from '~~/engine/instrument/sounds';
import { SureWorker } from '~/workers/sureWorker';
import BankWorker from './bank.worker.ts?worker';
import type { BankOrder, BankWord } from './bank.worker';

/** URLs of the banks that ship beside the General MIDI bank. */
const SHIPPED: Readonly<Record<string, string>> = { [GRAND]: '/bank/grand/grand.sf3' };

/** Share of each further bank that has been read, 0 to 1, by name; only banks that are being read. */
export type BanksComing = ShallowRef<ReadonlyMap<string, number>>;
export const noBanksComing = (): BanksComing => shallowRef(new Map());

/**
 * Gives each further bank that the engine needs a worker, which reads it and goes on sending samples.
 * @param failed called with the name of a bank that cannot be played, and the reason
 * @returns a function that ends the workers
 */
export function serveBanks(
  engine: AudioEngine,
  coming: BanksComing,
  failed: (name: string, reason: string) => void,
): () => void {
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
  // A bank that ships is small and soon needed again; imported ones may have hundreds of megabytes.
  engine.onBankUnused = (name) => {
    if (SHIPPED[name]) return;
    end(name);
    engine.dropBank(name);
  };
  return () => [...workers.keys()].forEach(end);
}
