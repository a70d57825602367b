import type { Announced } from '~~/server/utils/feed';

export type { Announced };

const CHANNEL = 'tall-kettle feed';

/**
 * What is changed at the server, as it happens. One window of the browser holds the connection and passes on what
 * comes: a browser has few connections for one server. When that window goes, the next one takes over.
 * @param told of each change, by whomever it was made
 */
export function followFeed(told: (what: Announced) => void): void {
  if (typeof EventSource === 'undefined' || typeof BroadcastChannel === 'undefined') return;
  const channel = new BroadcastChannel(CHANNEL);
  channel.onmessage = ({ data }: MessageEvent<Announced>) => told(data);
  void navigator.locks.request(CHANNEL, () => {
    const source = new EventSource(new URL('/api/feed', globalThis.location.origin));
    source.onmessage = ({ data }: MessageEvent<string>) => {
      const what = JSON.parse(data) as Announced;
      told(what);
      channel.postMessage(what);
    };
    // The lock is held for as long as this window lives.
    return new Promise<never>(() => {});
  });
}
