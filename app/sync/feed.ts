import type { Milliseconds } from '~~/core/time/units';
import { PULSE } from '~~/core/vocabulary/limits';
import type { Announced } from '~~/server/utils/feed';

/** Announcement of a change at the server; null after a gap in the connection, when some may have been missed. */
export type FeedWord = Announced | null;

/** Delay before a connection that the browser has given up is opened again. */
const TRY_AGAIN: Milliseconds = 2000;
/** Silence after which a connection, or the window that holds it, counts as dead. */
const QUIET: Milliseconds = 2.5 * PULSE;
const CHANNEL = 'tall-kettle feed';
/** Message that only says that the connection lives. */
const ALIVE = 'alive';

/**
 * Feed of changes at the server. One window of the browser holds the connection and passes messages on, as browsers
 * limit connections to one server. When that window closes the next one takes over; after a long silence any window
 * does.
 * @param told called with each change, and with null after a gap
 */
export function followFeed(told: (what: FeedWord) => void): void {
  if (typeof EventSource === 'undefined' || typeof BroadcastChannel === 'undefined') return;
  const channel = new BroadcastChannel(CHANNEL);
  let source: EventSource | undefined;
  let holds = false;
  let quiet: ReturnType<typeof setTimeout> | undefined;
  const isAlive = (): void => {
    clearTimeout(quiet);
    quiet = setTimeout(() => {
      isAlive();
      if (holds) connect();
      else takeOver();
    }, QUIET);
  };
  const pass = (what: FeedWord | typeof ALIVE): void => {
    isAlive();
    channel.postMessage(what);
    if (what !== ALIVE) told(what);
  };

  function connect(): void {
    source?.close();
    const made = new EventSource(new URL('/api/feed', globalThis.location.origin));
    source = made;
    made.onmessage = ({ data }: MessageEvent<string>) => pass(JSON.parse(data) as Announced);
    made.addEventListener('pulse', () => pass(ALIVE));
    // Changes may have been missed while there was no connection.
    made.onopen = () => pass(null);
    made.onerror = () => {
      if (made.readyState !== EventSource.CLOSED) return;
      setTimeout(() => {
        if (source === made) connect();
      }, TRY_AGAIN);
    };
  }

  let inLine = new AbortController();
  /** Holds the lock for as long as this window lives, or until another takes it for dead. */
  function granted(): Promise<never> {
    holds = true;
    connect();
    return new Promise(() => {});
  }
  function getInLine(): void {
    const { signal } = (inLine = new AbortController());
    navigator.locks.request(CHANNEL, { signal }, granted).catch(() => {
      if (!signal.aborted) lost();
    });
  }
  function takeOver(): void {
    inLine.abort();
    navigator.locks.request(CHANNEL, { steal: true }, granted).catch(lost);
  }
  function lost(): void {
    holds = false;
    source?.close();
    source = undefined;
    getInLine();
  }

  channel.onmessage = ({ data }: MessageEvent<FeedWord | typeof ALIVE>) => {
    isAlive();
    if (data !== ALIVE) told(data);
  };
  isAlive();
  getInLine();
  // Changes made before this window listens are announced to nobody.
  told(null);
}
