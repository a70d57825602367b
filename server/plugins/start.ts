import { defineNitroPlugin } from 'nitropack/runtime';
import { DatabaseUnusable } from '../store/database';
import { FolderTaken } from '../store/lock';
import { storageFault } from '../store/faults';
import { readJobs } from '../store/jobs';
import { database, dataFolder, port } from '../utils/data';

/** Exit codes of the process when the folder cannot be used. The starter knows the first. */
const CODES = { taken: 20, folder: 21, damaged: 22, newer: 23, native: 24, other: 25 } as const;

function wordsAndCode(error: unknown): [string, number] {
  if (error instanceof FolderTaken) return [error.message, CODES.taken];
  if (error instanceof DatabaseUnusable) return [error.message, CODES[error.why]];
  const fault = storageFault(error);
  if (fault) return [`The data folder ${dataFolder()} cannot be used: ${fault.words}`, CODES.folder];
  return [`The data folder ${dataFolder()} could not be opened: ${String(error)}`, CODES.other];
}

/** Opens the data as the server starts: what stands in the way is said before anybody is told an address. */
export default defineNitroPlugin((nitro) => {
  database().catch((error: unknown) => {
    const [words, code] = wordsAndCode(error);
    console.error(words);
    process.exit(code);
  });
  // What the Desk shows of the songs that were changed last is worked out before anybody asks: then it is there. Where
  // that fails, the Desk says so.
  void database()
    .then(readJobs)
    .catch(() => {});
  // So is the page itself: what makes it is read from disk when it is asked for first.
  void nitro.localFetch('/', { headers: { host: `127.0.0.1:${port()}` } }).catch(() => {});
  // A starter that is gone takes its server along.
  if (process.send) process.on('disconnect', () => process.exit(0));
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => process.exit(0));
});
