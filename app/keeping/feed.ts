import type { Milliseconds } from '~~/core/time/units';
import { PULSE } from '~~/core/vocabulary/limits';
import type { Announced } from '~~/server/utils/feed';

/** A change at the server; null where some may have been missed: nobody was connected for a while. */
export type FeedWord = Announced | null;

/** A connection that the browser has given up is tried again after this. */
const TRY_AGAIN: Milliseconds = 2000;
/** One that has been quiet for longer is dead, whatever the browser says: it slept, or something between has gone. */
const QUIET: Milliseconds = 2.5 * PULSE;
const CHANNEL = 'tall-kettle feed';

/**
 * What is changed at the server, as it happens. One window of the browser holds the connection and passes on what
 * comes: a browser has few connections for one server. When that window goes, the next one takes over.
 * @param told of each change, by whomever it was made, and when some may have been missed
 */
export function followFeed(told: (what: FeedWord) => void): void {
  if (typeof EventSource === 'undefined' || typeof BroadcastChannel === 'undefined') return;
  const channel = new BroadcastChannel(CHANNEL);
  channel.onmessage = ({ data }: MessageEvent<FeedWord>) => told(data);
  const pass = (what: FeedWord): void => {
    told(what);
    channel.postMessage(what);
  };
  const connect = (): void => {
    const source = new EventSource(new URL('/api/feed', globalThis.location.origin));
    let quiet: ReturnType<typeof setTimeout> | undefined;
    const connectAnew = (after: Milliseconds): void => {
      clearTimeout(quiet);
      source.close();
      setTimeout(connect, after);
    };
    const isAlive = (): void => {
      clearTimeout(quiet);
      quiet = setTimeout(() => connectAnew(0), QUIET);
    };
    isAlive();
    source.addEventListener('pulse', isAlive);
    source.onmessage = ({ data }: MessageEvent<string>) => {
      isAlive();
      pass(JSON.parse(data) as Announced);
    };
    source.onopen = () => {
      isAlive();
      // The first connection too: the window that held one before may have been gone for a while.
      pass(null);
    };
    source.onerror = () => {
      if (source.readyState === EventSource.CLOSED) connectAnew(TRY_AGAIN);
    };
  };
  void navigator.locks.request(CHANNEL, () => {
    connect();
    // The lock is held for as long as this window lives.
    return new Promise<never>(() => {});
  });
}
