import type { Page } from 'playwright-core';

/** Key press on an element. */
export interface Press {
  /** CSS selector of one element. */
  readonly on: string;
  readonly key: string;
  readonly ctrlKey?: boolean;
}

/**
 * Time from each key press until its new schedule has left the page and the screen is drawn, in milliseconds, with a
 * pause between presses.
 */
export const heardAndDrawn = async (page: Page, presses: readonly Press[], restMs = 600): Promise<number[]> =>
  (await page.evaluate(`(async () => {
  const times = [];
  const post = MessagePort.prototype.postMessage;
  let told = () => {};
  MessagePort.prototype.postMessage = function (message, ...rest) {
    if (message?.type === 'schedule') told();
    return post.call(this, message, ...rest);
  };
  for (const { on, key, ctrlKey = false } of ${JSON.stringify(presses)}) {
    const scheduled = new Promise((done, fail) => {
      told = done;
      setTimeout(() => fail(new Error('Nothing was scheduled after ' + key + ' on ' + on)), 10000);
    });
    const began = performance.now();
    document.querySelector(on).dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey, bubbles: true }));
    await scheduled;
    await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
    times.push(performance.now() - began);
    await new Promise((wait) => setTimeout(wait, ${restMs}));
  }
  MessagePort.prototype.postMessage = post;
  return times;
})()`)) as number[];
