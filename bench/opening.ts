import type { Page } from 'playwright-core';
import { launch, open } from '../harness/browser';
import { quantile } from './figure';
import { sized } from './sizes';

/**
 * Time from the click on the Desk to the first picture of a song's chart, in milliseconds.
 * @param says part of the chart's label once the song is drawn
 */
export async function timeToOpen(page: Page, id: string, says: string): Promise<number> {
  await page.locator(`a[href="/songs/${id}/play"]`).waitFor();
  await page.waitForTimeout(2500);
  return (await page.evaluate(`new Promise((done) => {
    const began = performance.now();
    document.querySelector('a[href="/songs/${id}/play"]').click();
    const look = () => {
      const chart = document.querySelector('.chart');
      // The canvas is drawn, and shown at the next frame.
      const drawn = chart?.querySelector('canvas')?.width > 300;
      if (drawn && chart.getAttribute('aria-label').includes('${says}')) {
        requestAnimationFrame(() => done(performance.now() - began));
      } else requestAnimationFrame(look);
    };
    look();
  })`)) as number;
}

const PAIRS = sized(9, 1);

/**
 * Time to open a song as a multiple of an empty one's: the median of pairs measured in turn, as the machine's speed
 * varies.
 * @param song its id, and part of its chart's label
 */
export async function timesAsLong(
  address: string,
  song: { readonly id: string; readonly says: string },
  empty: string,
): Promise<number> {
  const browser = await launch();
  const timed = async (id: string, says: string): Promise<number> => {
    const { page, context } = await open(browser, address);
    try {
      return await timeToOpen(page, id, says);
    } finally {
      await context.close();
    }
  };
  try {
    const times: number[] = [];
    for (let i = 0; i < PAIRS; i += 1) {
      const alone = await timed(empty, 'Piano');
      times.push((await timed(song.id, song.says)) / alone);
    }
    return quantile(times, 0.5);
  } finally {
    await browser.close();
  }
}
