import { localStore, type Errand } from './store';
import type { Milliseconds } from '~~/core/time/units';

export type Keeping = 'kept' | 'keeping' | 'away';

/** What the server said to an errand it would not take. */
export interface Refusal {
  readonly key: number;
  readonly errand: Errand;
  readonly status: number;
  readonly reason: string;
  readonly data: unknown;
}

/** What becomes of a refused errand: it is dropped; or the queue has been changed, and its head is tried again. */
export type Settled = 'drop' | 'retry';

const RETRY: Milliseconds = 1000;
const PATIENCE: Milliseconds = 8000;

/**
 * Carries errands to the server in their order. They lie in the browser until the server has them: a server that
 * is away, a reload or a crash loses none. One tab carries at a time.
 */
export class Outbox {
  #carrying: Promise<Keeping> | undefined;
  #again = false;
  #state: Keeping = 'kept';
  readonly #said: (state: Keeping) => void;
  readonly #refused: (refusal: Refusal) => Promise<Settled>;

  /**
   * @param said told whenever the state changes
   * @param refused settles an errand that the server answered with 4xx
   */
  constructor(said: (state: Keeping) => void, refused: (refusal: Refusal) => Promise<Settled>) {
    this.#said = said;
    this.#refused = refused;
  }

  #say(state: Keeping): void {
    this.#state = state;
    this.#said(state);
  }

  async add(errand: Errand): Promise<void> {
    // While the server is away that is what has to be seen; only an answer changes it.
    if (this.#state !== 'away') this.#say('keeping');
    await (await localStore()).add('errands', errand);
    void this.carry();
  }

  /** Carries what there is. Resolves when everything is kept, or when the server turns out to be away. */
  carry(): Promise<Keeping> {
    this.#again = this.#carrying !== undefined;
    this.#carrying ??= this.#carryOn().finally(() => {
      this.#carrying = undefined;
    });
    return this.#carrying;
  }

  async #carryOn(): Promise<Keeping> {
    let state: Keeping;
    do {
      this.#again = false;
      state = await navigator.locks.request('tall-kettle outbox', () => this.#carryAll());
    } while (this.#again && state === 'kept');
    this.#say(state);
    if (state === 'away') setTimeout(() => void this.carry(), RETRY);
    return state;
  }

  async #carryAll(): Promise<Keeping> {
    const db = await localStore();
    for (;;) {
      const first = await db.transaction('errands').store.openCursor();
      if (!first) return 'kept';
      const { key, value: errand } = first;
      const response = await this.#send(errand);
      if (!response || response.status >= 500) return 'away';
      if (!response.ok && (await this.#settled(key, errand, response)) === 'retry') continue;
      await db.delete('errands', key);
    }
  }

  #send({ path, method, body }: Errand): Promise<Response | undefined> {
    const headers = { 'content-type': 'application/json' };
    const signal = AbortSignal.timeout(PATIENCE);
    return fetch(path, { method, headers, body: JSON.stringify(body), signal }).catch(() => undefined);
  }

  async #settled(key: number, errand: Errand, response: Response): Promise<Settled> {
    const answer = (await response.json().catch(() => ({}))) as { message?: string; data?: unknown };
    const { status, statusText } = response;
    return this.#refused({ key, errand, status, reason: answer.message ?? statusText, data: answer.data });
  }
}
