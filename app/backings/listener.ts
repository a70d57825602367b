import type { FoundPulse, PulseEdits } from '~~/core/backing/analysis';
import type { FoundTuning } from '~~/core/backing/tuning';
import type { Stroke } from '~~/core/backing/strokes';
import { SureWorker } from '~/workers/sureWorker';
import ListenerWorker from './listener.worker.ts?worker';
import type { FromListener, ToListener } from './listener.worker';

/** Number of samples in one message: about ten seconds, and a multiple of all of the worker's steps. */
const PIECE = 480 * 960;

/** Error for callers of a listener that was closed. */
export class Stopped extends Error {}

/** Worker that analyses one recording: its waveform, beats or tuning. */
export class Listener {
  readonly #worker = new SureWorker(() => new ListenerWorker());
  #asked: Promise<unknown> = Promise.resolve();
  readonly #closed = new AbortController();

  /** Sends the recording to the worker, a piece in each turn, so that no turn is long. */
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

  /** Asks the worker one question at a time. */
  #ask<T extends FromListener['type']>(
    message: ToListener,
    type: T,
    told?: (done: number) => void,
  ): Promise<Extract<FromListener, { type: T }>> {
    const over = new AbortController();
    const { signal } = over;
    // An earlier question's error has gone to its own caller.
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

  /** Waveform as bytes, and whether the recording is silent. */
  peaks(): Promise<{ readonly packed: Uint8Array; readonly silent: boolean }> {
    return this.#ask({ type: 'peaks' }, 'peaks');
  }

  /** @param told called with the progress, 0 to 1 */
  async beats(edits: PulseEdits, told?: (done: number) => void): Promise<FoundPulse> {
    return (await this.#ask({ type: 'beats', edits }, 'beats', told)).found;
  }

  /** @param told called with the progress, 0 to 1 */
  async tuning(told?: (done: number) => void): Promise<FoundTuning> {
    return (await this.#ask({ type: 'tuning' }, 'tuning', told)).found;
  }

  async strokes(): Promise<readonly Stroke[]> {
    return (await this.#ask({ type: 'strokes' }, 'strokes')).strokes;
  }

  /** Ends the worker; open questions fail with `Stopped`. */
  close(): void {
    this.#closed.abort();
    this.#worker.terminate();
  }
}
