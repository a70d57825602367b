import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { Frames } from '../../core/time/units';
import { bankPaths, threadPath } from '../threads';
import type { Bounced, FromWorker, SoundTask, WorkerFacts } from './task';

/** Error of rendering; `code` is the system's, such as that of a full disk. */
class SoundNotMade extends Error {
  constructor(
    message: string,
    readonly code?: string,
  ) {
    super(message);
  }
}

/** Most threads; more would wait for memory. */
const MOST_THREADS = 8;

/** Runs tasks in as many threads as the machine has cores. */
export async function inWorkers(
  tasks: readonly SoundTask[],
  signal: AbortSignal,
  made: (frames: Frames) => void = () => {},
  threads = Math.min(MOST_THREADS, availableParallelism()),
): Promise<(Bounced | null)[]> {
  const results: (Bounced | null)[] = tasks.map(() => null);
  let next = 0;
  const [script, banks] = [threadPath('sound.worker.mjs'), bankPaths()];
  const workers: Worker[] = [];

  const thread = (): Promise<void> =>
    new Promise((done, failed) => {
      const worker = new Worker(script, { workerData: { banks } satisfies WorkerFacts });
      workers.push(worker);
      let current = -1;
      const takeNext = (): void => {
        if (next >= tasks.length) {
          done();
          return;
        }
        current = next;
        next += 1;
        worker.postMessage(tasks[current]);
      };
      worker.on('message', (word: FromWorker) => {
        if (word.type === 'frames') made(word.frames);
        else if (word.type === 'failed') failed(new SoundNotMade(word.message, word.code));
        else {
          results[current] = word.result;
          takeNext();
        }
      });
      worker.on('error', failed);
      worker.on('exit', () => failed(new SoundNotMade('The thread that makes sound has ended.')));
      takeNext();
    });

  signal.throwIfAborted();
  const aborted = new Promise<never>((_, failed) => {
    signal.addEventListener('abort', () => failed(signal.reason as Error), { once: true });
  });
  try {
    const all = Promise.all(Array.from({ length: Math.min(threads, tasks.length) }, thread));
    await Promise.race([all, aborted]);
    return results;
  } finally {
    await Promise.all(workers.map((w) => w.terminate()));
  }
}
