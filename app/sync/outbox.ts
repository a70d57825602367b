import type { Queue, Waiting } from './queue';
import type { QueuedRequest } from './store';
import type { Milliseconds } from '~~/core/time/units';

/** State of saving. `away`: the server does not answer. `trouble`: it answers, and cannot carry out the request now. */
export type SyncState = 'kept' | 'keeping' | 'away' | 'trouble';

/** Request that the server refused, with its answer. */
export interface Refusal extends Waiting {
  readonly status: number;
  readonly reason: string;
  readonly data: unknown;
}

/** Outcome of sending one request. */
type Fared = 'done' | 'away' | HeldUp;
interface HeldUp {
  readonly waits: Milliseconds;
  /** Reason in the server's words; empty where it gave none. */
  readonly why: string;
}
/** Outcome of one run through the queue. */
interface Outcome extends HeldUp {
  readonly state: SyncState;
}

export const UNREADABLE = 'This browser’s storage cannot be read just now, so nothing of it can be sent.';
const RETRY: Milliseconds = 1000;
const LONGEST_WAIT: Milliseconds = 30_000;
const PATIENCE: Milliseconds = 8000;
const PROBE_PATIENCE: Milliseconds = 2000;

/**
 * Sends queued requests to the server in order, song by song: trouble with one holds up the requests of its song only.
 * Requests stay in the browser's storage until the server has them, so that an absent server, a reload or a crash loses
 * none. One window sends at a time.
 */
export class Outbox {
  #carrying: Promise<SyncState> | undefined;
  #again = false;
  #state: SyncState = 'kept';
  readonly #queue: Queue;
  readonly #said: (state: SyncState, why: string) => void;
  readonly #refused: (refusal: Refusal) => Promise<void>;

  /**
   * @param said called whenever the state changes; in trouble, with the server's words
   * @param refused settles a request that the server answered with 4xx: afterwards the song's first request is another
   * one, or has been changed
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

  /** @returns true if it is in the browser's storage */
  async add(request: QueuedRequest): Promise<boolean> {
    // While the server is away that state stays on screen; only an answer changes it.
    if (this.#state === 'kept') this.#say('keeping');
    const stored = await this.#queue.add(request);
    // A server that is away is asked at intervals, not with each piece of sound.
    if (this.#state !== 'away') void this.carry();
    return stored;
  }

  /** Sends queued requests. Resolves when everything is kept, or with what stands in the way. */
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
        // An unreadable storage must not stop sending for good, nor let later requests overtake.
        .catch((error: unknown) => {
          console.warn('The queue stopped short.', error);
          return { state: 'trouble' as const, waits: RETRY, why: UNREADABLE };
        });
    } while (this.#again && outcome.state === 'kept');
    // Cleared in the same microtask, so that the next caller starts a new run.
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
    // No answer: the server may be away, or break off on this one request.
    if (!response) return (await this.#answers()) ? { waits: RETRY, why: '' } : 'away';
    if (response.status >= 500) return { waits: waitOf(response), why: (await answerOf(response)).message ?? '' };
    if (response.ok) {
      // The request was accepted; the empty answer is read to the end so that the connection is freed.
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
    // No answer: the caller finds out why, and sends it again.
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
  // An answer that is not JSON has no words; its status stands for them.
  response.json().catch(() => ({})) as Promise<{ message?: string; data?: unknown }>;

/** Delay before the next try that the server asks for. */
function waitOf(response: Response): Milliseconds {
  const seconds = Number(response.headers.get('retry-after'));
  return seconds > 0 ? Math.min(LONGEST_WAIT, seconds * 1000) : RETRY;
}
