import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { madeBank } from '../demo/soundBank';
import { open, state, withKeyboard } from '../harness/browser';
import { bouncedPitch, heardPitch, keyPitch } from '../harness/pitch';
import { addPlayedSong, OLD } from '../harness/played';
import { readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();

/** Opens a setting of the sound and presses keys on its slider. */
async function slide(page: Page, row: RegExp, slider: string, keys: readonly string[]): Promise<void> {
  const head = page.getByRole('dialog', { name: 'Sounds' }).getByRole('button', { name: row });
  if ((await head.getAttribute('aria-expanded')) === 'false') await head.click();
  const thumb = page.getByRole('slider', { name: slider, exact: true });
  await thumb.focus();
  for (const key of keys) await thumb.press(key);
}

describe('a part’s sound', () => {
  it('is set to lie an octave up, with another below a key, and is heard and handed over so', async () => {
    const id = await addPlayedSong(on.server.address, 2, 120);
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    const sounds = page.getByRole('button', { name: /’s sound:/ }).first();
    await sounds.click();
    await page.locator('input[accept=".sf2,.sf3,.dls"]').setInputFiles({
      ...{ name: 'Lantern sounds.sf2', mimeType: '', buffer: Buffer.from(madeBank('sf2', 2)) },
    });
    await page.getByRole('button', { name: /^Reed of the marsh \d/ }).click();
    await until(async () => Math.abs((await heardPitch(page)) - 440) < 4);

    await sounds.click();
    await slide(page, /^Octave/, 'Octaves up', ['ArrowRight']);
    await page.getByRole('button', { name: 'Octave 1 octave up' }).waitFor();
    await slide(page, /^Release/, 'Release, times the sound’s own', ['ArrowRight', 'ArrowRight']);
    await slide(page, /^Level by velocity/, 'Level by velocity', ['Home']);
    await until(async () => Math.abs((await heardPitch(page)) - 880) < 8);
    await page.getByRole('button', { name: 'A second one' }).click();
    await page.getByRole('button', { name: 'Soft pad', exact: true }).click();
    await page.getByRole('button', { name: /^Sounds together/ }).click();
    await page.getByRole('button', { name: 'Below a key' }).click();
    await slide(page, /^Sounds below C4/, 'The first sound from', ['Home']);
    const words =
      'Piano’s sound: Reed of the marsh, 1 octave up, Soft pad below B♭0, level 0 % by velocity, release × 1.5';
    await page.getByRole('button', { name: words }).waitFor();
    // A key above the split sounds the first sound.
    await until(async () => Math.abs((await heardPitch(page)) - 880) < 8);
    const tone = async () => (await readSong(on.server.address, id)).document.parts[0]!.tone;
    await until(async () => (await tone()).second?.below === 22);
    expect(await tone()).toMatchObject({
      ...{ octave: 1, velocity: 0, release: 1.5 },
      second: { sound: 'soft pad', octave: 0, gainDb: 0, below: 22 },
    });

    await page.reload();
    await state(page, 'Ready');
    await page.getByRole('button', { name: words }).waitFor();
    expect((await bouncedPitch(on.server.address, id)) / keyPitch(OLD + 12)).toBeCloseTo(1, 1);
    await sounds.click();
    await page.getByRole('button', { name: 'A second one' }).click();
    await page.getByRole('button', { name: 'None' }).click();
    await until(async () => (await tone()).second === null);
    expect(errors).toEqual([]);
    await context.close();
  });
});
