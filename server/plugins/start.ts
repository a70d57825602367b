import { defineNitroPlugin } from 'nitropack/runtime';
import { DatabaseUnusable } from '../store/database';
import { FolderTaken } from '../store/lock';
import { storageFault } from '../store/faults';
import { readJobs } from '../store/jobs';
import { database, dataFolder, port } from '../utils/data';

/** Exit codes for an unusable data folder. The start script handles the first. */
const CODES = { taken: 20, folder: 21, damaged: 22, newer: 23, native: 24, other: 25 } as const;

function wordsAndCode(error: unknown): [string, number] {
  if (error instanceof FolderTaken) return [error.message, CODES.taken];
  if (error instanceof DatabaseUnusable) return [error.message, CODES[error.why]];
  const fault = storageFault(error);
  if (fault) return [`The data folder ${dataFolder()} cannot be used: ${fault.words}`, CODES.folder];
  return [`The data folder ${dataFolder()} could not be opened: ${String(error)}`, CODES.other];
}

/** Opens the data as the server starts, so that errors come before any address is printed. */
export default defineNitroPlugin((nitro) => {
  database().catch((error: unknown) => {
    const [words, code] = wordsAndCode(error);
    console.error(words);
    process.exit(code);
  });
  // Computes the Desk's facts of recently changed songs ahead. Errors are reported by the Desk later.
  void database()
    .then(readJobs)
    .catch(() => {});
  // Loads the page's renderer ahead, which otherwise happens at the first request.
  void nitro.localFetch('/', { headers: { host: `127.0.0.1:${port()}` } }).catch(() => {});
  // Ends the server when its start script has ended.
  if (process.send) process.on('disconnect', () => process.exit(0));
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => process.exit(0));
});
