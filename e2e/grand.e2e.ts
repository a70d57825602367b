import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { describe, expect, it } from 'vitest';
import type { BrowserContext, Page } from 'playwright-core';
import { footplate, open, state, withKeyboard } from '../harness/browser';
import { addSong } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();

/** Peak of the first part in the half second after a key is first heard. */
const heard = (page: Page): Promise<number> =>
  page.evaluate(`(async () => {
    const engine = tallKettle.engine();
    midiSend([0x90, 60, 100]);
    let [peak, until] = [0, Infinity];
    while (engine.context.currentTime < until) {
      await new Promise((next) => setTimeout(next, 20));
      peak = Math.max(peak, engine.channelPeak(0));
      if (peak > 0) until = Math.min(until, engine.context.currentTime + 0.5);
    }
    midiSend([0x80, 60, 64]);
    return peak;
  })()`) as Promise<number>;

describe('the grand', () => {
  it('is what a new piano part sounds as, and is named in its part', async () => {
    const id = await addSong(on.server.address);
    const fetched: string[] = [];
    const watching = async (context: BrowserContext): Promise<void> => {
      await withKeyboard(context);
      context.on(
        'response',
        (response) => void fetched.push(`${response.status()} ${new URL(response.url()).pathname}`),
      );
    };
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`, watching);
    await state(page, 'Ready');
    expect(await heard(page)).toBeGreaterThan(0.005);
    expect(fetched).toContain('200 /bank/grand/grand.sf3');
    expect(await page.getByRole('button', { name: /sound: Full grand/ }).count()).toBe(1);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('says how far it is while it comes, and the small one can be played meanwhile', async () => {
    const bytes = readFileSync(new URL('../node_modules/.cache/grand/grand.sf3', import.meta.url));
    const half = bytes.length >> 1;
    let goOn = (): void => {};
    const slow = createServer((_, answer) => {
      answer.writeHead(200, { 'content-length': bytes.length });
      answer.write(bytes.subarray(0, half));
      goOn = () => void answer.end(bytes.subarray(half));
    });
    await new Promise<void>((listens) => slow.listen(0, '127.0.0.1', listens));
    const { port } = slow.address() as AddressInfo;
    const id = await addSong(on.server.address);
    const held = async (context: BrowserContext): Promise<void> => {
      await withKeyboard(context);
      await context.route('**/bank/grand/*', (route) => route.continue({ url: `http://127.0.0.1:${port}/` }));
    };
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`, held);
    await footplate(page)
      .getByText(/A part’s sound is loading: (4\d|50)%/)
      .waitFor();
    expect(await heard(page)).toBeGreaterThan(0.005);
    goOn();
    await state(page, 'Ready');
    await footplate(page)
      .getByText(/A part’s sound is loading/)
      .waitFor({ state: 'detached' });
    expect(errors).toEqual([]);
    await context.close();
    await new Promise((closed) => slow.close(closed));
  });

  it.each([
    ['does not come', null],
    ['is cut off', Buffer.from('RIFF\x10\x00\x00\x00sfbkLIST\xff\xff\x00\x00')],
  ])('that %s is said, and the small one sounds in its place', async (_, body) => {
    const id = await addSong(on.server.address);
    const without = async (context: BrowserContext): Promise<void> => {
      await withKeyboard(context);
      await context.route('**/bank/grand/*', (route) => (body ? route.fulfill({ status: 200, body }) : route.abort()));
    };
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, without);
    await state(page, 'Ready');
    await page.getByText('The grand could not be loaded, and the small one sounds in its place.').waitFor();
    expect(await heard(page)).toBeGreaterThan(0.005);
    await context.close();
  });
});
