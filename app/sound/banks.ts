import type { AudioEngine } from '~~/engine/audio';
import { GRAND } from '~~/engine/instrument/sounds';
import { SureWorker } from '~/workers/sureWorker';
import BankWorker from './bank.worker.ts?worker';
import type { BankOrder, BankTrouble } from './bank.worker';

/** Addresses of the banks that ship beside General MIDI's. */
const SHIPPED: Readonly<Record<string, string>> = { [GRAND]: '/bank/grand/grand.sf3' };

/** Has each further bank that the engine wants read by a worker of its own, which goes on giving it sound. */
export function serveBanks(engine: AudioEngine): void {
  engine.onBankWanted = (name, to) => {
    const worker = new SureWorker(() => new BankWorker());
    worker.addEventListener('message', (event) => {
      worker.terminate();
      engine.giveUpBank(name, (event as MessageEvent<BankTrouble>).data);
    });
    const address = new URL(SHIPPED[name]!, location.origin).href;
    worker.postMessage({ address, to } satisfies BankOrder, [to]);
  };
}
