import type { Milliseconds } from '~~/core/time/units';
import { PULSE } from '~~/core/vocabulary/limits';
import type { Announced } from '~~/server/utils/feed';

/** A change at the server; null where some may have been missed: nobody was connected for a while. */
export type FeedWord = Announced | null;

/** A connection that the browser has given up is tried again after this. */
const TRY_AGAIN: Milliseconds = 2000;
/** A connection that was quiet for longer is dead, or the window that has it is, whatever the browser says. */
const QUIET: Milliseconds = 2.5 * PULSE;
const CHANNEL = 'tall-kettle feed';
/** Nothing has changed, and the connection lives. */
const ALIVE = 'alive';

/**
 * Feed of changes at the server, as they happen. One window of the browser holds the connection and passes on what
 * comes: a browser has few connections for one server. When that window goes, the next one takes over; when nothing is
 * heard for a while, any.
 * @param told of each change, by whomever it was made, and when some may have been missed
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
    // Some may have been missed while there was none.
    made.onopen = () => pass(null);
    made.onerror = () => {
      if (made.readyState !== EventSource.CLOSED) return;
      setTimeout(() => {
        if (source === made) connect();
      }, TRY_AGAIN);
    };
  }

  let inLine = new AbortController();
  /** The lock is held for as long as this window lives, or until another takes it for dead. */
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
  // What was changed before this window listens nobody tells it.
  told(null);
}
