import type { Milliseconds } from '~~/core/time/units';
import { STARTED } from './startedMessage';

/** Delay before a worker that did not start is made again, doubled each time. */
const FIRST_AGAIN: Milliseconds = 500;
const LONGEST_AGAIN: Milliseconds = 8000;
/** Time without a message after which a worker counts as not started, doubled each time for slow machines. */
const PATIENCE: Milliseconds = 15_000;

/**
 * A worker that is made again until it starts: its script has to come from the server, which may be away at just that
 * moment. What is sent to it meanwhile waits here, in its order. It is told of by the events `message` and `error`, as
 * a worker's own are, and by `late` (it did not start, and is made again) and `started`.
 */
export class SureWorker extends EventTarget {
  readonly #make: () => Worker;
  #worker!: Worker;
  #started = false;
  #waiting: [message: unknown, transfer: Transferable[]][] = [];
  #again: Milliseconds = FIRST_AGAIN;
  #patience: Milliseconds = PATIENCE;
  #timer: ReturnType<typeof setTimeout> | undefined;

  /** @param make makes the worker, whose first message is `STARTED` or another */
  constructor(make: () => Worker) {
    super();
    this.#make = make;
    this.#begin();
  }

  #begin(): void {
    const worker = this.#make();
    this.#worker = worker;
    worker.addEventListener('message', ({ data }: MessageEvent<unknown>) => {
      if (!this.#started) this.#start();
      if (data !== STARTED) this.dispatchEvent(new MessageEvent('message', { data }));
    });
    worker.addEventListener('error', () => {
      // An error in a running worker does not restart it.
      if (this.#started) this.dispatchEvent(new Event('error'));
      else this.#tryAgain();
    });
    this.#timer = setTimeout(() => this.#tryAgain(), this.#patience);
    this.#patience *= 2;
  }

  #start(): void {
    clearTimeout(this.#timer);
    this.#started = true;
    for (const [message, transfer] of this.#waiting) this.#worker.postMessage(message, transfer);
    this.#waiting = [];
    this.dispatchEvent(new Event('started'));
  }

  #tryAgain(): void {
    clearTimeout(this.#timer);
    this.#worker.terminate();
    this.#timer = setTimeout(() => this.#begin(), this.#again);
    this.#again = Math.min(LONGEST_AGAIN, this.#again * 2);
    this.dispatchEvent(new Event('late'));
  }

  postMessage(message: unknown, transfer: Transferable[] = []): void {
    if (this.#started) this.#worker.postMessage(message, transfer);
    else this.#waiting.push([message, transfer]);
  }

  terminate(): void {
    clearTimeout(this.#timer);
    this.#worker.terminate();
  }
}
