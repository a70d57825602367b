import { localStore, type Errand } from './local';

export type Keeping = 'kept' | 'keeping' | 'away';

/** What the server said to an errand it would not take. */
export interface Refusal {
  readonly key: number;
  readonly errand: Errand;
  readonly status: number;
  readonly reason: string;
  readonly data: unknown;
}

const RETRY_MS = 1000;
const PATIENCE_MS = 8000;

/**
 * Carries errands to the server in their order. They lie in the browser until the server has them: a server that
 * is away, a reload or a crash loses none. One tab carries at a time.
 */
export class Outbox {
  #carrying: Promise<Keeping> | undefined;
  #again = false;
  #state: Keeping = 'kept';
  readonly #said: (state: Keeping) => void;
  readonly #refused: (refusal: Refusal) => Promise<'drop' | 'retry'>;

  /**
   * @param said told whenever the state changes
   * @param refused settles an errand that the server answered with 4xx: dropped, or stored anew under its key and tried
   *   again
   */
  constructor(said: (state: Keeping) => void, refused: (refusal: Refusal) => Promise<'drop' | 'retry'>) {
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
    if (state === 'away') setTimeout(() => void this.carry(), RETRY_MS);
    return state;
  }

  async #carryAll(): Promise<Keeping> {
    const db = await localStore();
    for (;;) {
      const cursor = await db.transaction('errands').store.openCursor();
      if (!cursor) return 'kept';
      const { key, value: errand } = cursor;
      const response = await fetch(errand.path, {
        method: errand.method,
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(errand.body),
        signal: AbortSignal.timeout(PATIENCE_MS),
      }).catch(() => undefined);
      if (!response || response.status >= 500) return 'away';
      if (!response.ok) {
        const answer = (await response.json().catch(() => ({}))) as { message?: string; data?: unknown };
        const settled = await this.#refused({
          key,
          errand,
          status: response.status,
          reason: answer.message ?? response.statusText,
          data: answer.data,
        });
        if (settled === 'retry') continue;
      }
      await db.delete('errands', key);
    }
  }
}
