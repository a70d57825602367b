import type { Page } from 'playwright-core';
import { launch, open } from '../harness/browser';
import { addTakenSong } from '../harness/played';
import { startServer } from '../harness/server';
import { madeTakes } from '../core/testing/takes';
import { frameTimes } from './chart';
import { quantile, under, type Figure } from './figure';
import { sized } from './sizes';

const LANES = 40;
const BARS = 200;
const FRAME_MS = 17;
const AUDITIONS = sized(15, 2);

/**
 * Time from a key that auditions another take until it is heard, in milliseconds: until its schedule leaves the page,
 * and from there to its start.
 */
const auditionTimes = async (page: Page): Promise<number[]> =>
  (await page.evaluate(`(async () => {
  const times = [];
  const post = MessagePort.prototype.postMessage;
  let told = () => {};
  MessagePort.prototype.postMessage = function (message, ...rest) {
    if (message?.type === 'schedule') told(performance.now());
    return post.call(this, message, ...rest);
  };
  for (let i = 0; i < ${AUDITIONS}; i += 1) {
    const scheduled = new Promise((done) => { told = done; });
    const began = performance.now();
    window.dispatchEvent(new KeyboardEvent('keydown', { key: 't', bubbles: true }));
    times.push((await scheduled) - began);
    await new Promise((wait) => setTimeout(wait, 150));
    window.dispatchEvent(new KeyboardEvent('keyup', { key: 't', bubbles: true }));
    await new Promise((wait) => setTimeout(wait, 150));
  }
  MessagePort.prototype.postMessage = post;
  return times;
})()`)) as number[];

/** Figures of Pick with forty takes of a long song: scrolling, and auditioning. */
export async function laneFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const { takes } = madeTakes({ takes: LANES, bars: BARS, bpm: 112, looseness: 14, seed: 1 });
    const id = await addTakenSong(server.address, BARS, 112, takes);
    const { page } = await open(browser, server.address, `/songs/${id}/pick`);
    await page.getByRole('application', { name: /^Takes of/ }).waitFor();
    // A song without sections is one range, so all bars are drawn in each lane.
    await page.getByRole('button', { name: 'Suggest a comp' }).waitFor({ timeout: 60_000 });
    await page.evaluate(`{
      const card = document.querySelector('.lanes');
      const turn = () => {
        card.scrollTop = (card.scrollTop + 24) % (card.scrollHeight - card.clientHeight);
        requestAnimationFrame(turn);
      };
      requestAnimationFrame(turn);
    }`);
    const frames = await frameTimes(page);
    await page.reload();
    await page.getByRole('application', { name: /^Takes of/ }).waitFor();
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.keyboard.press(' ');
    await page.getByText('Playing', { exact: true }).waitFor();
    await page.waitForTimeout(2000);
    const heard = await auditionTimes(page);
    await page.goto('about:blank');
    const limit = Math.max(FRAME_MS, Math.round(10 * (quantile(await frameTimes(page), 0.95) + 0.5)) / 10);
    const name = `${LANES} lanes of ${BARS} bars`;
    return [
      under('lanes', `${name}: frame while they scroll, 95th percentile`, quantile(frames, 0.95), 'ms', limit),
      under('lanes', `${name}: another take asked for, until it is laid out, middle`, quantile(heard, 0.5), 'ms', 20),
    ];
  } finally {
    await browser.close();
    await server.end();
  }
}
