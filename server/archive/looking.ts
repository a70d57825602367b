import { Worker } from 'node:worker_threads';
import { DamagedFile } from '../../core/files/damaged';
import type { Milliseconds } from '../../core/time/units';
import { threadPath } from '../threads';
import type { Looked } from './archive.worker';
import { manifestOf, type Look } from './look';
import { openArchiveZip } from './zip';

/** Limits of examining an archive; one that needs more is malicious. */
const MOST_MEMORY_MB = 1024;
const LONGEST: Milliseconds = 120_000;

/**
 * Examines an archive in a thread that ends with its caller or beyond its limits.
 * @throws DamagedFile for a damaged archive; errors of the disk; the signal's reason
 */
export async function lookInThread(path: string, signal: AbortSignal): Promise<Look> {
  signal.throwIfAborted();
  const worker = new Worker(threadPath('archive.worker.mjs'), {
    workerData: path,
    resourceLimits: { maxOldGenerationSizeMb: MOST_MEMORY_MB },
  });
  let ends: (() => void) | undefined;
  let late: ReturnType<typeof setTimeout> | undefined;
  try {
    const looked = await new Promise<Looked>((said, failed) => {
      ends = () => failed(signal.reason as Error);
      signal.addEventListener('abort', ends);
      late = setTimeout(() => failed(new DamagedFile('The archive takes longer to read than any job’s.')), LONGEST);
      worker.once('message', said);
      worker.once('error', (error: NodeJS.ErrnoException) =>
        failed(
          error.code === 'ERR_WORKER_OUT_OF_MEMORY'
            ? new DamagedFile('The archive needs more memory to be read than any job’s.')
            : error,
        ),
      );
      worker.once('exit', () => failed(new Error('The thread that reads the archive ended without a word.')));
    });
    if (looked.type === 'found') return { ...looked.found, zip: await openArchiveZip(path, manifestOf) };
    if (looked.type === 'damaged') throw new DamagedFile(looked.message);
    throw Object.assign(new Error(looked.message), { code: looked.code });
  } finally {
    clearTimeout(late);
    if (ends) signal.removeEventListener('abort', ends);
    await worker.terminate();
  }
}
