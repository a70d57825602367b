import type { Page } from 'playwright-core';

/** Ranges in which the page does nothing else, in milliseconds, from now on; `longestStall` takes them. */
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
/** The longest of them since this was asked last. */
export const longestStall = (page: Page): Promise<number> =>
  page.evaluate(`(() => {
    const longest = Math.max(0, ...window.stalls);
    window.stalls = [];
    return longest;
  })()`) as Promise<number>;
