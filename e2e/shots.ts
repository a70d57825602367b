/** Takes the pictures in docs/screenshots. */
import { fileURLToPath } from 'node:url';
import type { Page } from 'playwright-core';
import { choose, launch, open, withKeyboard } from '../harness/browser';
import { performed } from '../core/testing/playing';
import { startServer } from '../harness/server';

const shot = (page: Page, name: string) =>
  page.screenshot({ path: fileURLToPath(new URL(`../docs/screenshots/${name}.png`, import.meta.url)) });

const server = await startServer(true);
const browser = await launch();
try {
  const { page } = await open(browser, server.address);
  await page.getByText('Marsh Light, series two').waitFor();
  await page.waitForTimeout(500);
  await shot(page, 'desk');

  await page.getByText('The Orchard Gate').click();
  await page.locator('[data-control=keyboard]').click();
  await page.getByLabel('Bench keyboard on').setChecked(true);
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
  await page.keyboard.press('s');
  await page.waitForTimeout(300);
  await shot(page, 'stand');
  await page.keyboard.press('Escape');
  await page.keyboard.press('r');
  await page.getByText('Ready', { exact: true }).waitFor();
  await page.waitForTimeout(800);
  await shot(page, 'play');
  await page.getByRole('button', { name: 'Lights' }).click();
  await page.waitForTimeout(400);
  await shot(page, 'play-night');
  await page.getByRole('button', { name: 'Lights' }).click();

  await page.keyboard.press('l');
  await page.locator('[data-control=laps]').first().click();
  await page.getByRole('button', { name: 'New take, then add' }).click();
  await page.waitForTimeout(300);
  await shot(page, 'play-loop');
  await page.keyboard.press('Escape');
  await page.keyboard.press('l');

  const waltz = performed({ style: 'waltz', bpm: 132, bars: 6, looseness: 10, drift: 0, seed: 4 });
  const sent = waltz.notes
    .flatMap((n) => [
      [n.start, 0x90, n.key, n.velocity],
      [n.end, 0x80, n.key, 64],
    ])
    .sort((a, b) => a[0]! - b[0]!);
  const player = await open(browser, server.address, '/songs/night-ferry/play', withKeyboard);
  await player.page.getByText('Ready', { exact: true }).waitFor();
  // Played a moment ago, with time stamps in the past.
  await player.page.evaluate(
    `{ const sent = ${JSON.stringify(sent)}; const base = performance.now() - 1000 * sent.at(-1)[0]; ` +
      'for (const [at, ...bytes] of sent) midiSend(bytes, base + 1000 * at); }',
  );
  await player.page.waitForTimeout(400);
  await player.page.keyboard.press('k');
  await player.page.waitForTimeout(600);
  await shot(player.page, 'look-back');
  await player.context.close();

  await page.keyboard.press('Shift+Digit5');
  await choose(page, 'Bars', 'Verse 2');
  await page.getByRole('button', { name: 'Quantize these bars' }).click();
  await page.getByRole('button', { name: /your ear$/ }).click();
  await page.keyboard.press("'");
  await page.waitForTimeout(600);
  await shot(page, 'tidy-ear');
  await page.getByRole('tab', { name: 'Timing' }).click();
  await page.waitForTimeout(600);
  await shot(page, 'tidy-timing');
  await choose(page, 'Bars', 'Chorus 1');
  await page.getByRole('button', { name: 'Quantize these bars' }).click();
  await page.waitForTimeout(700);
  // Some hand edits, over the treatment.
  await page.getByRole('tab', { name: 'By hand' }).click();
  const roll = (await page.getByRole('application', { name: /^Piano roll/ }).boundingBox())!;
  await page.mouse.move(roll.x + 260, roll.y + 60);
  await page.mouse.down();
  await page.mouse.move(roll.x + 480, roll.y + 300, { steps: 4 });
  await page.mouse.up();
  await page.getByRole('application', { name: /^Piano roll/ }).focus();
  await page.keyboard.press('Control+ArrowRight');
  await page.waitForTimeout(600);
  await shot(page, 'tidy');
  await page.keyboard.press('Shift+Digit6');
  // A first version is handed over; a change after it is listed in the second.
  await page.getByRole('button', { name: 'leave it out' }).click();
  const waves = page.getByRole('button', { name: 'Accept' });
  while ((await waves.count()) > 0) {
    await waves.first().click();
    await page.getByLabel('Why it goes out like this').fill('Heard, and meant so');
    await page.getByRole('button', { name: 'Accept it' }).click();
  }
  await page.getByRole('button', { name: 'Make the files' }).click();
  const zip = page.getByRole('button', { name: 'Hand over as a zip' });
  await page.getByRole('button', { name: 'Discard them' }).waitFor();
  await page.waitForTimeout(400);
  await shot(page, 'hand-over');
  await Promise.all([page.waitForEvent('download'), zip.click()]);
  await page.getByText('Handed over, version 1').waitFor();

  await page.goto(`${server.address}/songs/slow-tide/set-up`);
  await page.getByRole('button', { name: 'Find the beats' }).click();
  await page.getByText(/^\d+ beats, /).waitFor();
  await page.waitForTimeout(400);
  await shot(page, 'set-up-beats');
  await page.getByRole('button', { name: 'Let the song follow it' }).click();
  await page.waitForTimeout(600);
  await shot(page, 'set-up-backings');
  await page.goto(`${server.address}/songs/slow-tide/play`);
  await page.getByText('Ready', { exact: true }).waitFor();
  await page.keyboard.press(' ');
  await page.keyboard.press('s');
  await page.getByRole('img', { name: 'Page 2 of the sheet' }).waitFor();
  await page.waitForTimeout(4500);
  await shot(page, 'stand-sheet');
  await page.keyboard.press('Escape');
  await page.keyboard.press(' ');
  await page.goto(`${server.address}/songs/night-ferry/pick`);
  const takes = page.getByRole('application', { name: /^Takes of/ });
  await takes.waitFor();
  await page.getByRole('button', { name: 'The next section' }).click();
  await takes.focus();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Suggest a comp' }).click();
  await page.getByRole('region', { name: 'Suggestion' }).getByRole('listitem').first().waitFor();
  await page.waitForTimeout(600);
  await shot(page, 'pick');
  await page.getByRole('button', { name: 'Two, compared' }).click();
  await page.getByRole('region', { name: 'What differs' }).getByRole('listitem').first().waitFor();
  await page.keyboard.press('ArrowDown');
  await page.waitForTimeout(400);
  await shot(page, 'pick-compared');

  const check = await open(browser, server.address, '/songs/orchard-gate/line-check', withKeyboard);
  await check.page.getByText('Ready', { exact: true }).waitFor();
  for (const [i, touch] of [38, 52, 61, 77, 90, 104, 119].entries()) {
    await check.page.evaluate(
      `midiSend([0x90, ${60 + i}, ${touch}]); setTimeout(() => midiSend([0x80, ${60 + i}, 64]), 100)`,
    );
    await check.page.waitForTimeout(160);
  }
  await check.page.getByText('Every link is whole').waitFor();
  await shot(check.page, 'line-check');
  await check.page.getByRole('tab', { name: 'Latency' }).click();
  await check.page.getByRole('button', { name: 'Try it on a simulated cable' }).click();
  await check.page.locator('[data-test=loop]').waitFor({ timeout: 20_000 });
  await check.page.waitForTimeout(400);
  await shot(check.page, 'line-check-latency');
  await check.page.getByRole('tab', { name: 'Hands-free' }).click();
  await check.page.getByRole('button', { name: 'Take the ready-made set' }).click();
  await check.page.evaluate('midiSend([0x90, 21, 80])');
  await check.page.getByText('A0 on Stage keyboard').waitFor();
  await check.page.evaluate('midiSend([0x80, 21, 0]); midiSend([0x90, 21, 80])');
  await check.page.waitForTimeout(500);
  await shot(check.page, 'line-check-hands-free');
} finally {
  await browser.close();
  await server.end();
}
