import type { FoundPulse, PulseEdits } from '~~/core/backing/analysis';
import type { FoundTuning } from '~~/core/backing/tuning';
import type { Stroke } from '~~/core/backing/strokes';
import { SureWorker } from '~/workers/sureWorker';
import ListenerWorker from './listener.worker.ts?worker';
import type { FromListener, ToListener } from './listener.worker';

/** Some ten seconds, and a multiple of every step that the worker counts in. */
const PIECE = 480 * 960;

/** Error for whoever waits for an answer of a listener that was closed. */
export class Stopped extends Error {}

/** A worker that hears one recording and is asked for its peaks or its beats; the page goes on meanwhile. */
export class Listener {
  readonly #worker = new SureWorker(() => new ListenerWorker());
  #asked: Promise<unknown> = Promise.resolve();
  readonly #closed = new AbortController();

  /** Sends the recording over, a piece in a turn, so that no turn is long. */
  async hear(buffer: AudioBuffer, want: 'peaks' | 'beats'): Promise<void> {
    this.#tell({ type: 'begin', sampleRate: buffer.sampleRate, frames: buffer.length, want });
    for (let from = 0; from < buffer.length; from += PIECE) {
      const channels = Array.from({ length: buffer.numberOfChannels }, (_, i) => {
        const piece = new Float32Array(Math.min(PIECE, buffer.length - from));
        buffer.copyFromChannel(piece, i, from);
        return piece;
      });
      this.#tell(
        { type: 'piece', channels },
        channels.map((c) => c.buffer),
      );
      await new Promise((next) => setTimeout(next));
    }
  }

  #tell(message: ToListener, transfer: Transferable[] = []): void {
    this.#worker.postMessage(message, transfer);
  }

  /** One question at a time, each with its answer. */
  #ask<T extends FromListener['type']>(
    message: ToListener,
    type: T,
    told?: (done: number) => void,
  ): Promise<Extract<FromListener, { type: T }>> {
    const over = new AbortController();
    const { signal } = over;
    // Whoever asked before has been told of its error.
    const answer = this.#asked
      .catch(() => {})
      .then(
        () =>
          new Promise<Extract<FromListener, { type: T }>>((done, failed) => {
            const hear = (event: Event): void => {
              const { data } = event as MessageEvent<FromListener>;
              if (data.type === type) done(data as Extract<FromListener, { type: T }>);
              else if (data.type === 'progress') told?.(data.done);
              else if (data.type === 'failed') failed(new Error(data.reason));
            };
            this.#worker.addEventListener('message', hear, { signal });
            this.#worker.addEventListener('error', () => failed(new Error('The listening stopped.')), { signal });
            this.#closed.signal.addEventListener('abort', () => failed(new Stopped()), { signal });
            if (this.#closed.signal.aborted) failed(new Stopped());
            else this.#tell(message);
          }),
      )
      .finally(() => over.abort());
    this.#asked = answer;
    return answer;
  }

  /** The wave's picture as bytes, and whether there is nothing in it. */
  peaks(): Promise<{ readonly packed: Uint8Array; readonly silent: boolean }> {
    return this.#ask({ type: 'peaks' }, 'peaks');
  }

  /** @param told hears how far it is, 0 to 1 */
  async beats(edits: PulseEdits, told?: (done: number) => void): Promise<FoundPulse> {
    return (await this.#ask({ type: 'beats', edits }, 'beats', told)).found;
  }

  /** @param told hears how far it is, 0 to 1 */
  async tuning(told?: (done: number) => void): Promise<FoundTuning> {
    return (await this.#ask({ type: 'tuning' }, 'tuning', told)).found;
  }

  async strokes(): Promise<readonly Stroke[]> {
    return (await this.#ask({ type: 'strokes' }, 'strokes')).strokes;
  }

  /** Ends it; what was asked and not answered is told so. */
  close(): void {
    this.#closed.abort();
    this.#worker.terminate();
  }
}
