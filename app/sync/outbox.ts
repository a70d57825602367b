import type { Queue, Waiting } from './queue';
import type { QueuedRequest } from './store';
import type { Milliseconds } from '~~/core/time/units';

/** Away: the server does not answer. Trouble: it answers, and cannot do what is asked for now. */
export type SyncState = 'kept' | 'keeping' | 'away' | 'trouble';

/** Answer of the server to a request it would not take. */
export interface Refusal extends Waiting {
  readonly status: number;
  readonly reason: string;
  readonly data: unknown;
}

/** Outcome of one request. */
type Fared = 'done' | 'away' | HeldUp;
interface HeldUp {
  readonly waits: Milliseconds;
  /** Reason, in the server's words; empty where it said nothing. */
  readonly why: string;
}
/** Outcome of a carrying. */
interface Outcome extends HeldUp {
  readonly state: SyncState;
}

export const UNREADABLE = 'This browser’s storage cannot be read just now, so nothing of it can be sent.';
const RETRY: Milliseconds = 1000;
const LONGEST_WAIT: Milliseconds = 30_000;
const PATIENCE: Milliseconds = 8000;
const PROBE_PATIENCE: Milliseconds = 2000;

/**
 * Carries requests to the server in their order, song by song: trouble with one holds up what belongs to its song, and
 * nothing else. They lie in the browser until the server has them: a server that is away, a reload or a crash loses
 * none. One window carries at a time.
 */
export class Outbox {
  #carrying: Promise<SyncState> | undefined;
  #again = false;
  #state: SyncState = 'kept';
  readonly #queue: Queue;
  readonly #said: (state: SyncState, why: string) => void;
  readonly #refused: (refusal: Refusal) => Promise<void>;

  /**
   * @param said told whenever the state changes; of trouble, with the server's words
   * @param refused settles a request that the server answered with 4xx: when it is done, the request is no longer the
   * first of its song, or is another than it was
   */
  constructor(
    queue: Queue,
    said: (state: SyncState, why: string) => void,
    refused: (refusal: Refusal) => Promise<void>,
  ) {
    this.#queue = queue;
    this.#said = said;
    this.#refused = refused;
  }

  #say(state: SyncState, why = ''): void {
    this.#state = state;
    this.#said(state, why);
  }

  /** @returns whether it lies in the browser's storage */
  async add(request: QueuedRequest): Promise<boolean> {
    // While the server is away that is what has to be seen; only an answer changes it.
    if (this.#state === 'kept') this.#say('keeping');
    const stored = await this.#queue.add(request);
    // A server that is away is asked by itself; nothing is gained by asking it for each piece of sound.
    if (this.#state !== 'away') void this.carry();
    return stored;
  }

  /** Carries what there is. Resolves when everything is kept, or with what stands in the way. */
  carry(): Promise<SyncState> {
    this.#again = true;
    this.#carrying ??= this.#carryOn();
    return this.#carrying;
  }

  async #carryOn(): Promise<SyncState> {
    let outcome: Outcome;
    do {
      this.#again = false;
      outcome = await navigator.locks
        .request('tall-kettle outbox', () => this.#carryAll())
        // A storage that cannot be read now is no reason to stop for good, and none to send what comes after.
        .catch((error: unknown) => {
          console.warn('The queue stopped short.', error);
          return { state: 'trouble' as const, waits: RETRY, why: UNREADABLE };
        });
    } while (this.#again && outcome.state === 'kept');
    // In the same breath: who asks from here on is not told of a carrying that is over.
    this.#carrying = undefined;
    const { state, waits, why } = outcome;
    this.#say(state, why);
    if (state !== 'kept') setTimeout(() => void this.carry(), waits);
    return state;
  }

  async #carryAll(): Promise<Outcome> {
    const heldUp = new Set<string>();
    let [waits, why] = [LONGEST_WAIT, ''];
    for (;;) {
      const next = await this.#queue.first(heldUp);
      if (!next) return heldUp.size ? { state: 'trouble', waits, why } : { state: 'kept', waits: RETRY, why };
      const fared = await this.#carryOne(next);
      if (fared === 'away') return { state: 'away', waits: RETRY, why };
      if (fared === 'done') continue;
      heldUp.add(next.request.songId);
      waits = Math.min(waits, fared.waits);
      why ||= fared.why;
    }
  }

  async #carryOne(waiting: Waiting): Promise<Fared> {
    const { request } = waiting;
    const bytes = await this.#queue.bytesOf(request);
    if (!bytes && request.bytesAt !== undefined) {
      await this.#refused({ ...waiting, status: 410, reason: 'Its sound is gone from this browser.', data: null });
      return 'done';
    }
    const response = await this.#send(request, bytes);
    // Nothing came back. Is it the server, or this one request that it breaks off?
    if (!response) return (await this.#answers()) ? { waits: RETRY, why: '' } : 'away';
    if (response.status >= 500) return { waits: waitOf(response), why: (await answerOf(response)).message ?? '' };
    if (response.ok) {
      // It was taken; only its empty answer is not read.
      await response.arrayBuffer().catch(() => {});
      await this.#queue.settle([waiting]);
      return 'done';
    }
    const answer = await answerOf(response);
    const { status, statusText } = response;
    await this.#refused({ ...waiting, status, reason: answer.message ?? statusText, data: answer.data });
    return 'done';
  }

  #send({ path, method, body }: QueuedRequest, bytes: ArrayBuffer | undefined): Promise<Response | undefined> {
    const headers = { 'content-type': bytes ? 'application/octet-stream' : 'application/json' };
    const signal = AbortSignal.timeout(PATIENCE);
    // Nothing came back: the caller finds out why, and sends it again.
    return fetch(path, { method, headers, body: bytes ?? JSON.stringify(body), signal }).catch(() => undefined);
  }

  #answers(): Promise<boolean> {
    return fetch('/api/alive', { signal: AbortSignal.timeout(PROBE_PATIENCE) }).then(
      () => true,
      () => false,
    );
  }
}

const answerOf = (response: Response): Promise<{ message?: string; data?: unknown }> =>
  // An answer that is no JSON has no words: its number stands for them.
  response.json().catch(() => ({})) as Promise<{ message?: string; data?: unknown }>;

/** Delay before another try, as the server says it. */
function waitOf(response: Response): Milliseconds {
  const seconds = Number(response.headers.get('retry-after'));
  return seconds > 0 ? Math.min(LONGEST_WAIT, seconds * 1000) : RETRY;
}
