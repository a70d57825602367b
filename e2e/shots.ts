/** Takes the pictures in docs/screenshots. */
import { fileURLToPath } from 'node:url';
import type { Page } from 'playwright-core';
import { launch, open } from './browser';
import { startServer } from './server';

const shot = (page: Page, name: string) =>
  page.screenshot({ path: fileURLToPath(new URL(`../docs/screenshots/${name}.png`, import.meta.url)) });

const server = await startServer(true);
const empty = await startServer();
const browser = await launch();
try {
  const { page } = await open(browser, server.address);
  await page.getByText('Marsh Light, series two').waitFor();
  await page.waitForTimeout(500);
  await shot(page, 'desk');

  await page.getByText('The Orchard Gate').click();
  await page.locator('[data-control=keyboard]').click();
  await page.getByLabel('Bench keyboard on').setChecked(true);
  await page.waitForTimeout(400);
  await shot(page, 'keyboards');
  await page.keyboard.press('Escape');
  await page.locator('[data-control=where]').click();
  await page.getByRole('button', { name: 'Chorus 1, bars 17–24' }).click();
  await page.keyboard.press('Escape');
  await page.getByText('Ready', { exact: true }).waitFor();
  await page.waitForTimeout(400);
  await page.keyboard.press('r');
  await page.getByText('Recording', { exact: true }).waitFor();
  await page.waitForTimeout(8200);
  await shot(page, 'play-recording');
  await page.keyboard.press('r');
  await page.getByText('Ready', { exact: true }).waitFor();
  await page.waitForTimeout(800);
  await shot(page, 'play');

  await page.keyboard.press('3');
  await page.getByRole('button', { name: 'Chorus 1' }).click();
  await page.getByRole('button', { name: 'Treat this stretch' }).click();
  await page.waitForTimeout(700);
  await shot(page, 'tidy');
  await page.keyboard.press('4');
  await page.waitForTimeout(600);
  await shot(page, 'hand-over');

  const first = await open(browser, empty.address);
  await first.page.getByText('An empty desk').waitFor();
  await first.page.waitForTimeout(400);
  await shot(first.page, 'desk-empty');
} finally {
  await browser.close();
  await server.end();
  await empty.end();
}
