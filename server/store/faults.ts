/** Fault of storage or system, as it concerns the sender of a request. */
export interface Fault {
  readonly status: number;
  /** Words: what happened, what was kept, what to do. */
  readonly words: string;
  /** Seconds after which the same request may succeed. */
  readonly retryAfter?: number;
}

const NOTHING_KEPT = 'Nothing of this was kept at the server.';
const FULL: Fault = {
  status: 503,
  words: `The server’s disk is full. ${NOTHING_KEPT} Make room on it.`,
  retryAfter: 5,
};
const BUSY: Fault = {
  status: 503,
  words: `The data folder is in use by something else. ${NOTHING_KEPT}`,
  retryAfter: 1,
};
const UNWRITABLE: Fault = {
  status: 503,
  words: `The data folder cannot be written. ${NOTHING_KEPT} See who may write there.`,
  retryAfter: 5,
};
const DAMAGED: Fault = {
  status: 503,
  words: `The database cannot be read in places. ${NOTHING_KEPT} Stop the program and bring back a backup.`,
  retryAfter: 30,
};

/** Faults by SQLite's result codes, extended ones first, and by the system's. */
const FAULTS: readonly (readonly [code: string, fault: Fault])[] = [
  ['SQLITE_FULL', FULL],
  ['ENOSPC', FULL],
  ['EDQUOT', FULL],
  ['SQLITE_BUSY', BUSY],
  ['SQLITE_LOCKED', BUSY],
  ['SQLITE_READONLY', UNWRITABLE],
  ['SQLITE_CANTOPEN', UNWRITABLE],
  ['SQLITE_PERM', UNWRITABLE],
  ['EACCES', UNWRITABLE],
  ['EROFS', UNWRITABLE],
  ['SQLITE_CORRUPT', DAMAGED],
  ['SQLITE_NOTADB', DAMAGED],
  ['SQLITE_IOERR', DAMAGED],
];

/** Fault that an error stands for, searched through its causes; undefined for other errors. */
export function storageFault(error: unknown): Fault | undefined {
  for (let at = error; at instanceof Error; at = at.cause) {
    const { code } = at as NodeJS.ErrnoException;
    const known = typeof code === 'string' && FAULTS.find(([start]) => code.startsWith(start));
    if (known) return known[1];
  }
  return undefined;
}
