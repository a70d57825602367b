import type { Milliseconds } from '~~/core/time/units';
import type { Announced } from '~~/server/utils/feed';

/** A change at the server; null where some may have been missed: nobody was connected for a while. */
export type FeedWord = Announced | null;

/** A connection that the browser has given up is tried again after this. */
const TRY_AGAIN: Milliseconds = 2000;
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
    source.onmessage = ({ data }: MessageEvent<string>) => pass(JSON.parse(data) as Announced);
    // The first connection too: the window that held one before may have been gone for a while.
    source.onopen = () => pass(null);
    source.onerror = () => {
      if (source.readyState === EventSource.CLOSED) setTimeout(connect, TRY_AGAIN);
    };
  };
  void navigator.locks.request(CHANNEL, () => {
    connect();
    // The lock is held for as long as this window lives.
    return new Promise<never>(() => {});
  });
}
