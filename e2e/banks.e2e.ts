import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { change } from '../core/song/changes';
import { soundOfBank } from '../core/vocabulary/sounds';
import { madeBank } from '../demo/soundBank';
import { open, state, withKeyboard } from '../harness/browser';
import { addPlayedSong, OLD } from '../harness/played';
import { bouncedPitch, heardPitch, keyPitch } from '../harness/pitch';
import { madeFiles } from '../harness/runs';
import { addSong, post, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();

const openSounds = async (page: Page): Promise<void> => {
  await page
    .getByRole('button', { name: /’s sound:/ })
    .first()
    .click();
  await page.getByRole('button', { name: 'Bring in a sound bank' }).waitFor();
};
const bringIn = (page: Page, name: string, buffer: Uint8Array): Promise<void> =>
  page.locator('input[accept=".sf2,.sf3,.dls"]').setInputFiles({ name, mimeType: '', buffer: Buffer.from(buffer) });

describe('a sound bank of one’s own', () => {
  it('comes in, is listed with what each sound needs, is chosen and heard, and is there the next day', async () => {
    const id = await addPlayedSong(on.server.address, 2, 120);
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await openSounds(page);
    await bringIn(page, 'Lantern sounds.sf2', madeBank('sf2', 2));
    await page.getByText('Lantern sounds came in.').waitFor();
    await page.getByRole('button', { name: /^Reed of the marsh 17\d\.?\d? kB$/ }).waitFor();
    await page.getByRole('button', { name: /^Reed of the marsh \d/ }).click();
    await page.getByRole('button', { name: /’s sound: Reed of the marsh/ }).waitFor();
    // General MIDI’s sounds play until the bank is loaded.
    await until(async () => Math.abs((await heardPitch(page)) - 440) < 4);
    const { sound } = (await readSong(on.server.address, id)).document.parts[0]!;
    expect(sound).toMatch(/^bank [0-9a-f]{64} 0:20 Reed of the marsh$/);

    await page.reload();
    await state(page, 'Ready');
    await until(async () => Math.abs((await heardPitch(page)) - 440) < 4);
    await openSounds(page);
    // A forgotten bank leaves the list until it is brought back.
    await page.getByRole('button', { name: 'Forget Lantern sounds' }).click();
    await page.getByRole('button', { name: /^Reed of the marsh \d/ }).waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Bring it back' }).click();
    await page.keyboard.press('Escape');
    await openSounds(page);
    await page.getByRole('button', { name: 'Forget Lantern sounds' }).waitFor();
    expect(errors).toEqual([]);
    await context.close();

    // The delivered file has that sound too.
    expect((await bouncedPitch(on.server.address, id)) / keyPitch(OLD)).toBeCloseTo(1, 1);
  });

  it('can be one of Downloadable Sounds; what is cut off or none is refused in words, and not listed', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await openSounds(page);
    await bringIn(page, 'Weir.dls', madeBank('dls'));
    await page.getByText('Weir came in.').waitFor();
    const whole = madeBank();
    await bringIn(page, 'Half.sf2', whole.subarray(0, whole.length >> 1));
    await page.getByText(/^Half\.sf2: The sound bank is cut short: [45]\d% of it is there\. It stays out\./).waitFor();
    // A valid header with nothing after it.
    const hollow = Uint8Array.from(whole, (byte, i) => (i < 12 ? byte : 0));
    await bringIn(page, 'Hollow.sf2', hollow);
    await page.getByText(/^Hollow\.sf2: The sound bank is damaged/).waitFor();
    const hollowDls = Uint8Array.from(madeBank('dls'), (byte, i) => (i < 12 ? byte : 0));
    await bringIn(page, 'Hollow.dls', hollowDls);
    await page.getByText(/^Hollow\.dls: The sound bank \(DLS\) is damaged/).waitFor();
    // A refused bank leaves nothing on the disk.
    for (const refused of [hollow, hollowDls]) {
      const hash = createHash('sha256').update(refused).digest('hex');
      expect((await fetch(`${on.server.address}/api/audio/${hash}`)).status).toBe(404);
    }
    await bringIn(page, 'Words.sf2', new TextEncoder().encode('bar 12 too busy'));
    await page.getByText(/^Words\.sf2: .*It stays out\./).waitFor();
    const listed = (await (await fetch(`${on.server.address}/api/kept/banks`)).json()) as { name: string }[];
    expect(listed.map((b) => b.name)).toEqual(expect.arrayContaining(['Weir']));
    expect(listed.filter((b) => /Half|Hollow|Words/.test(b.name))).toEqual([]);
    await context.close();
  });

  it('that is not here is said, with what plays meanwhile, and its part does not go out as another sound', async () => {
    const sound = soundOfBank({ hash: 'ab'.repeat(32), bank: 0, program: 4, name: 'Tine of old' });
    const id = await addPlayedSong(on.server.address, 2, 120);
    const { document, revision: base } = await readSong(on.server.address, id);
    const { patches, inverse } = change(document, { type: 'set part', part: 'piano', to: { sound } });
    await post(on.server.address, `/api/songs/${id}/changes`, { base, kind: 'do', name: 'x', patches, inverse });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await page
      .getByText('Tine of old could not be loaded, and Electric Piano 1 sounds in its place. Its bank is not here.')
      .waitFor();
    expect(await heardPitch(page)).toBeGreaterThan(0);
    await context.close();
    const run = await madeFiles(on.server.address, id, { audio: 'dry' });
    expect([run.state, run.trouble]).toEqual([
      'failed',
      expect.stringMatching(/The sound bank of “Piano” \(Tine of old\) is not here/),
    ]);
  });
});
