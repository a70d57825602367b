import type { Page } from 'playwright-core';

/**
 * From the click on the Desk to the first picture of a song's chart, in milliseconds.
 * @param says what the chart's name has in it once the song is drawn
 */
export async function timeToOpen(page: Page, id: string, says: string): Promise<number> {
  await page.locator(`a[href="/songs/${id}/play"]`).waitFor();
  await page.waitForTimeout(2500);
  return (await page.evaluate(`new Promise((done) => {
    const began = performance.now();
    document.querySelector('a[href="/songs/${id}/play"]').click();
    const look = () => {
      const chart = document.querySelector('.chart');
      // The canvas has its size and is drawn; at the next frame it has been shown.
      const drawn = chart?.querySelector('canvas')?.width > 300;
      if (drawn && chart.getAttribute('aria-label').includes('${says}')) {
        requestAnimationFrame(() => done(performance.now() - began));
      } else requestAnimationFrame(look);
    };
    look();
  })`)) as number;
}
