import { parentPort, workerData } from 'node:worker_threads';
import { DamagedFile } from '../../core/files/damaged';
import { lookInto, type Found } from './look';

/** Result of examining an archive in a thread. */
export type Looked =
  | { readonly type: 'found'; readonly found: Found }
  | { readonly type: 'damaged' | 'failed'; readonly message: string; readonly code?: string };

try {
  const { zip, ...found } = await lookInto(workerData as string);
  zip.close();
  parentPort!.postMessage({ type: 'found', found } satisfies Looked);
} catch (error) {
  const { message, code } = error as NodeJS.ErrnoException;
  const type = error instanceof DamagedFile ? 'damaged' : 'failed';
  parentPort!.postMessage({ type, message, code } satisfies Looked);
}
