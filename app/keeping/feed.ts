import type { Announced } from '~~/server/utils/feed';

/** A change at the server; null where some may have been missed: the connection was gone for a while. */
export type FeedWord = Announced | null;

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
  void navigator.locks.request(CHANNEL, () => {
    const source = new EventSource(new URL('/api/feed', globalThis.location.origin));
    const pass = (what: FeedWord): void => {
      told(what);
      channel.postMessage(what);
    };
    source.onmessage = ({ data }: MessageEvent<string>) => pass(JSON.parse(data) as Announced);
    let before = false;
    source.onopen = () => {
      if (before) pass(null);
      before = true;
    };
    // The lock is held for as long as this window lives.
    return new Promise<never>(() => {});
  });
}
