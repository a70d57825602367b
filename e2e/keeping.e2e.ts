import { describe, expect, it } from 'vitest';
import type { BrowserContext, Page } from 'playwright-core';
import { launchMortal, open, pressRecord } from './browser';
import { addSong, readSong, until } from './server';
import { trial } from './trial';
import type { OpenedSong } from './types';

const on = trial();

/** What the Bench keyboard has struck so far, known outside the page, with the time it was heard there. */
const watched = (struck: number[]) => async (context: BrowserContext): Promise<void> => {
  await context.exposeFunction('tellStrike', () => { struck.push(Date.now()); });
};

/** Starts a pass that the Bench keyboard plays, and lets it run a while. */
async function recordFor(page: Page, ms: number): Promise<void> {
  await page.locator('[data-control=keyboard]').click();
  await page.getByLabel('Bench keyboard on').setChecked(true);
  await page.keyboard.press('Escape');
  await page.evaluate(`tallKettle.bench.listen(({ data }) => { if (data[0] === 0x90 && window.tellStrike) tellStrike(); })`);
  await page.getByText('Ready', { exact: true }).waitFor();
  await pressRecord(page);
  await page.getByText('Recording', { exact: true }).waitFor({ timeout: 20_000 });
  await page.waitForTimeout(ms);
}

const strikesIn = (song: OpenedSong) => song.layers.flatMap((l) => l.events).filter((e) => e.message.type === 'noteOn').length;
const taken = (id: string) => until(async () => {
  const song = await readSong(on.server.address, id);
  return song.document.parts[0]!.takes.length === 1 && song.layers.every((l) => l.closing) && song;
});
/** All but what was struck in the last half second. */
const due = (struck: readonly number[], died: number) => struck.filter((at) => at < died - 500).length;

describe('a take in progress', () => {
  it('is there after a reload in the middle of it', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }] });
    const struck: number[] = [];
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, watched(struck));
    await recordFor(page, 3000);
    const died = Date.now();
    await page.reload();
    await page.getByText(/A pass was cut off/).waitFor();
    const song = await taken(id);
    expect(due(struck, died)).toBeGreaterThan(8);
    expect(strikesIn(song)).toBeGreaterThanOrEqual(due(struck, died));
    await page.getByText('bars 1–').first().waitFor();
    await context.close();
  });

  it('is there after the browser was killed', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }] });
    const struck: number[] = [];
    const mortal = await launchMortal();
    const { page } = await open(mortal.browser, on.server.address, `/songs/${id}/play`, watched(struck));
    await recordFor(page, 3000);
    const died = Date.now();
    await mortal.kill();
    const { context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    const song = await taken(id);
    expect(strikesIn(song)).toBeGreaterThanOrEqual(due(struck, died));
    await context.close();
  });

  it('is at the server when the page says so, however busy the page is', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }] });
    const struck: number[] = [];
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, watched(struck));
    await recordFor(page, 500);
    await page.evaluate(`(function work() {
      const until = performance.now() + 60;
      while (performance.now() < until) Math.sqrt(until);
      setTimeout(work, 20);
    })()`);
    await page.waitForTimeout(3000);
    // What the page would have had to say, if it was kept by then.
    const onTheWay = strikesIn(await readSong(on.server.address, id));
    expect(onTheWay).toBeGreaterThan(struck.length / 2);
    await page.keyboard.press('r');
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.getByText('All kept').waitFor();
    const song = await readSong(on.server.address, id);
    expect(song.document.parts[0]!.takes.length).toBe(1);
    expect(strikesIn(song)).toBeGreaterThanOrEqual(struck.length - 1);
    await context.close();
  });

  it('goes on while the server is killed, and is kept when it is back', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }] });
    const struck: number[] = [];
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, watched(struck));
    await recordFor(page, 1500);
    await on.server.kill();
    await page.getByText('Server away, kept in this browser').waitFor();
    await page.waitForTimeout(1500);
    await page.getByRole('button', { name: /^End take/ }).click();
    await page.locator('.take.heard').waitFor();
    expect(await page.getByText('Server away').count()).toBe(1);
    await on.server.restart();
    await page.getByText('All kept').waitFor({ timeout: 20_000 });
    const song = await taken(id);
    expect(strikesIn(song)).toBeGreaterThanOrEqual(struck.length - 2);
    await context.close();
  });

  it('is undone and brought back across a reload', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }] });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await recordFor(page, 1200);
    await page.keyboard.press('r');
    await page.locator('.take.heard').waitFor();
    await page.getByText('All kept').waitFor();
    await page.reload();
    await page.locator('.take.heard').waitFor();
    await page.keyboard.press('u');
    await page.getByText('No takes yet').waitFor();
    await page.getByText('All kept').waitFor();
    await page.reload();
    await page.getByText('No takes yet').waitFor();
    await page.keyboard.press('y');
    await page.locator('.take.heard').waitFor();
    expect((await taken(id)).history.map((h) => h.kind).filter((k) => k !== 'set')).toEqual(['do', 'undo', 'redo']);
    await context.close();
  });
});

describe('two windows on one song', () => {
  it('keep both changes', async () => {
    const id = await addSong(on.server.address);
    const a = await open(on.browser, on.server.address, `/songs/${id}/play`);
    const b = await open(on.browser, on.server.address, `/songs/${id}/play`);
    const count = async (page: Page, name: string) => {
      await page.locator('[data-control=count]').click();
      await page.getByRole('button', { name, exact: true }).click();
      await page.keyboard.press('Escape');
    };
    await b.page.locator('[data-control=count]').waitFor();
    await count(a.page, '3 bars');
    await until(async () => (await readSong(on.server.address, id)).document.brief.countOffBars === 3);
    await b.page.getByRole('button', { name: 'Mute Piano' }).click();
    await b.page.getByText(/changed in another window/).waitFor();
    await b.page.getByText('3 bars').waitFor();
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.muted && found;
    });
    expect(song.document.brief.countOffBars).toBe(3);

    // And when one of them was cut off from the server for several changes.
    await b.page.getByText('All kept').waitFor();
    await b.context.setOffline(true);
    await b.page.getByRole('button', { name: 'Solo Piano' }).click();
    await b.page.getByRole('button', { name: 'Mute Click' }).click();
    await b.page.getByText('Server away, kept in this browser').waitFor();
    await count(a.page, '4 bars');
    await until(async () => (await readSong(on.server.address, id)).document.brief.countOffBars === 4);
    await b.context.setOffline(false);
    await b.page.getByText('All kept').waitFor();
    const last = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.solo && found.document.click.when === 'counting' && found;
    });
    expect(last.document.brief.countOffBars).toBe(4);
    await b.page.getByText('4 bars').waitFor();
    await a.context.close();
    await b.context.close();
  });
});
