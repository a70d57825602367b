import type { Page } from 'playwright-core';

/** Records times in which the page's thread is blocked, in milliseconds; `longestStall` reads them. */
export const WATCH_STALLS = `{
  window.stalls = [];
  let last = performance.now();
  const channel = new MessageChannel();
  channel.port1.onmessage = () => {
    const now = performance.now();
    if (now - last > 4) window.stalls.push(now - last);
    last = now;
    channel.port2.postMessage(0);
  };
  channel.port2.postMessage(0);
}`;
/** Longest of them since the last call. */
export const longestStall = (page: Page): Promise<number> =>
  page.evaluate(`(() => {
    const longest = Math.max(0, ...window.stalls);
    window.stalls = [];
    return longest;
  })()`) as Promise<number>;
