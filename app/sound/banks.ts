import type { AudioEngine } from '~~/engine/audio';
import { GRAND } from '~~/engine/instrument/sounds';
import { SureWorker } from '~/workers/sureWorker';
import BankWorker from './bank.worker.ts?worker';
import type { BankOrder, BankWord } from './bank.worker';

/** Addresses of the banks that ship beside General MIDI's. */
const SHIPPED: Readonly<Record<string, string>> = { [GRAND]: '/bank/grand/grand.sf3' };

/**
 * Has each further bank that the engine wants read by a worker of its own, which goes on giving it sound.
 * @param told called with a bank's name and the share of it that is here, 1 when it is, or is given up
 */
export function serveBanks(engine: AudioEngine, told: (name: string, share: number) => void): void {
  const workers = new Map<string, SureWorker>();
  const end = (name: string): void => {
    workers.get(name)?.terminate();
    workers.delete(name);
    told(name, 1);
  };
  engine.onBankWanted = (name, to) => {
    const worker = new SureWorker(() => new BankWorker());
    workers.set(name, worker);
    worker.addEventListener('message', (event) => {
      const word = (event as MessageEvent<BankWord>).data;
      if ('share' in word) {
        told(name, word.share);
        return;
      }
      end(name);
      engine.giveUpBank(name, word.trouble);
    });
    const address = new URL(SHIPPED[name] ?? `/api/banks/${name}`, location.origin).href;
    worker.postMessage({ address, to } satisfies BankOrder, [to]);
  };
  // One that ships is small, and soon wanted again; of one's own, each may take hundreds of megabytes.
  engine.onBankUnused = (name) => {
    if (SHIPPED[name]) return;
    end(name);
    engine.dropBank(name);
  };
}
