import { closeSync, openSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { bytesHere, readTables } from '../core/files/soundBank';
import { keyedBank } from '../demo/soundBank';
import { timesDry, withDryWatch } from '../harness/audioDropouts';
import { launch, open, state, withKeyboard } from '../harness/browser';
import { addPlayedSong } from '../harness/played';
import { startServer } from '../harness/server';
import { atMost, bound, under, type Figure } from './figure';
import { longestStall, WATCH_STALLS } from './stalls';
import { sized } from './sizes';

const MEGABYTES = sized(500, 40);
const KEYS = 88;
/** Frames of each key's sample, so that all samples add up to the bank's size. */
const FRAMES = Math.floor((MEGABYTES * 1e6) / KEYS / 2);
const SHDR = 46;
/** Duration of plain playback, to see whether this machine can play at all. */
const PLAYING_MS = sized(5000, 1000);

/** Writes a bank of 500 MB, one sample a key, without holding it in memory. */
async function writeLargeBank(path: string): Promise<void> {
  const small = keyedBank(KEYS);
  const { tables, sound, around } = await readTables(bytesHere(small));
  const records = tables.shdr.slice();
  const view = new DataView(records.buffer);
  for (let i = 0; i < KEYS; i += 1)
    [i * FRAMES, (i + 1) * FRAMES, i * FRAMES + 100, (i + 1) * FRAMES - 100].forEach((at, k) =>
      view.setUint32(i * SHDR + 20 + 4 * k, at, true),
    );
  const length = KEYS * FRAMES * 2;
  const head = small.slice(0, sound.from);
  const added = length - sound.length;
  const sizes = new DataView(head.buffer);
  sizes.setUint32(4, sizes.getUint32(4, true) + added, true);
  sizes.setUint32(around.from - 4, sizes.getUint32(around.from - 4, true) + added, true);
  sizes.setUint32(sound.from - 4, length, true);
  const tail = small.slice(sound.from + sound.length + (sound.length % 2));
  const at = Buffer.from(tail).indexOf('shdr');
  tail.set(records, at + 8);
  const wave = Int16Array.from({ length: FRAMES }, (_, i) => 6000 * Math.sin((2 * Math.PI * 440 * i) / 44_100));
  const file = openSync(path, 'w');
  try {
    writeSync(file, head);
    for (let i = 0; i < KEYS; i += 1) writeSync(file, new Uint8Array(wave.buffer));
    writeSync(file, tail);
  } finally {
    closeSync(file);
  }
}

/** Import and selection of a 500 MB bank while the song plays. */
export async function bankFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const path = join(server.folder, 'Large.sf2');
    await writeLargeBank(path);
    const id = await addPlayedSong(server.address, 200, 120);
    const { page } = await open(browser, server.address, `/songs/${id}/play`, async (context) => {
      await withKeyboard(context);
      await withDryWatch(context);
    });
    await state(page, 'Ready');
    await page.keyboard.press(' ');
    await state(page, 'Playing');
    await page.getByRole('button', { name: /’s sound:/ }).click();
    await page.evaluate(WATCH_STALLS);
    const dryAtFirst = await timesDry(page);
    await page.waitForTimeout(PLAYING_MS);
    const dryAnyway = (await timesDry(page)) - dryAtFirst;
    const listed = page.waitForResponse((r) => r.url().endsWith('/api/banks'));
    await page.locator('input[accept=".sf2,.sf3,.dls"]').setInputFiles(path);
    await page.getByText(/^Coming in: /).waitFor();
    await longestStall(page);
    await listed;
    const bringing = await longestStall(page);
    await page.getByText('Large came in.').waitFor();
    const loaded = page.waitForResponse((r) => r.url().includes('/api/banks/'));
    await page.getByRole('button', { name: /^Every key / }).click();
    await page.getByRole('button', { name: 'Bring in a sound bank' }).waitFor({ state: 'hidden' });
    // The drawing of the press itself is over.
    await page.waitForTimeout(300);
    await longestStall(page);
    const dryBefore = await timesDry(page);
    await (await loaded).finished();
    await page.waitForTimeout(1000);
    const loading = await longestStall(page);
    const dry = (await timesDry(page)) - dryBefore;
    if (process.env.SHOW) console.error({ dryAnyway, dry });
    const name = `a bank of ${MEGABYTES} MB`;
    return [
      // Most of it is drawing the list and the notice.
      bound('banks', `${name}: the page’s longest stop while it comes in`, bringing, 'ms'),
      under('banks', `${name}: the page’s longest stop while its sound loads`, loading, 'ms', 50),
      ...(dryAnyway > 0 ? [] : [atMost('banks', `${name}: times that what plays runs dry while it loads`, dry, '', 0)]),
    ];
  } finally {
    await browser.close();
    await server.end();
  }
}
