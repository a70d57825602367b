import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { leadSheet, type LeadSheet } from '../demo/leadSheet';
import { open, state } from '../harness/browser';
import type { SentFile } from '../harness/files';
import { addSong, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();

const pdfOf = async (name: string, sheet: LeadSheet): Promise<SentFile> => ({
  name,
  mimeType: 'application/pdf',
  buffer: Buffer.from((await leadSheet(sheet)).bytes),
});
const panelOf = (page: Page) => page.getByRole('complementary', { name: 'Sheet' });
const bring = (page: Page, ...files: SentFile[]): Promise<void> =>
  panelOf(page).getByLabel('Files of the sheet').setInputFiles(files);
/** Number of non-white colours in a page's canvas; 0 before it is drawn. */
const drawnOf = (page: Page): Promise<boolean> =>
  page.evaluate(`(() => {
    const canvas = document.querySelector('.sheet-paper canvas');
    if (!canvas) return false;
    const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
    return data.some((value) => value < 100);
  })()`) as Promise<boolean>;

describe('the client’s sheet', () => {
  it('is found its bars in, drawn, and turns with the song, in the panel and on the stand', async () => {
    const id = await addSong(on.server.address, { bars: 24, tempo: [{ tick: 0, bpm: 240 }] });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await state(page, 'Ready');
    await page.keyboard.press('Shift+P');
    await bring(page, await pdfOf('Reed Lane.pdf', { title: 'Reed Lane', bars: 24, systemsAPage: 2 }));
    await page.getByText('3 pages joined the song’s sheet. 6 lines of music were found').waitFor();
    const truth = await leadSheet({ title: 'Reed Lane', bars: 24, systemsAPage: 2 });
    const { sheet } = (await readSong(on.server.address, id)).document;
    expect(sheet.systems.map((s) => [s.bar, sheet.pages.findIndex((p) => p.id === s.page)])).toEqual(
      truth.systems.map((s) => [s.bar, s.page]),
    );
    sheet.systems.slice(1).forEach((s, i) => expect(Math.abs(s.top - truth.systems[i + 1]!.top)).toBeLessThan(0.03));
    await expect.poll(() => drawnOf(page)).toBe(true);
    // It turns by itself and marks the current bar; page 2 begins at bar 9.
    await panelOf(page).getByText('page 1 of 3').waitFor();
    await page.keyboard.press(' ');
    await panelOf(page).getByText('page 2 of 3').waitFor();
    await panelOf(page).getByText('page 3 of 3').waitFor();
    await page.keyboard.press('Home');
    await panelOf(page).getByText('page 1 of 3').waitFor();
    await page.keyboard.press(' ');
    await page.keyboard.press('Escape');
    await page.keyboard.press('s');
    const stand = page.getByRole('region', { name: 'Stand' });
    await stand.getByRole('img', { name: 'Page 1 of the sheet' }).waitFor();
    await stand.getByRole('img', { name: 'Page 2 of the sheet' }).waitFor();
    await page.keyboard.press(' ');
    // The finished page gives way to the third while the second is read.
    await stand.getByRole('img', { name: 'Page 3 of the sheet' }).waitFor();
    expect(await stand.getByRole('img', { name: 'Page 2 of the sheet' }).count()).toBe(1);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is told where bars stand by a click, and written on, and gives each back by Undo', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await state(page, 'Ready');
    const documentNow = async () => (await readSong(on.server.address, id)).document.sheet;
    await page.getByRole('button', { name: 'Sheet', exact: true }).click();
    // A picture has no text.
    const picture = await page.evaluate(`(async () => {
      const canvas = new OffscreenCanvas(400, 560);
      canvas.getContext('2d').fillRect(20, 40, 300, 8);
      const blob = await canvas.convertToBlob({ type: 'image/png' });
      return [...new Uint8Array(await blob.arrayBuffer())];
    })()`);
    await bring(page, { name: 'page.png', mimeType: 'image/png', buffer: Buffer.from(picture as number[]) });
    await panelOf(page).getByText('No bar numbers were found in it').waitFor();
    await expect.poll(() => drawnOf(page)).toBe(true);
    await panelOf(page).getByRole('button', { name: 'Tell bars' }).click();
    const paper = panelOf(page).getByRole('img', { name: 'Page 1 of the sheet' });
    const box = (await paper.boundingBox())!;
    await page.mouse.click(box.x + 40, box.y + box.height * 0.25);
    const told = await until(async () => {
      const { systems } = await documentNow();
      return systems.length === 1 && systems;
    });
    expect(told[0]!.bar).toBe(1);
    expect(told[0]!.top).toBeCloseTo(0.25, 1);
    await panelOf(page).getByRole('button', { name: 'Forget where bar 1 stands' }).click();
    await until(async () => (await documentNow()).systems.length === 0);
    await panelOf(page).getByRole('button', { name: 'Write' }).click();
    await page.mouse.move(box.x + 60, box.y + 100);
    await page.mouse.down();
    for (let step = 1; step <= 10; step += 1) await page.mouse.move(box.x + 60 + 10 * step, box.y + 100 + 4 * step);
    await page.mouse.up();
    const { ink } = await until(async () => {
      const now = await documentNow();
      return now.ink.length === 1 && now;
    });
    expect(ink[0]!.points.length).toBeGreaterThan(10);
    await panelOf(page).locator('polyline.ink').waitFor({ state: 'attached' });
    await page.keyboard.press('u');
    await until(async () => (await documentNow()).ink.length === 0);
    await page.keyboard.press('u');
    await until(async () => (await documentNow()).systems.length === 1);
    await panelOf(page).getByRole('button', { name: 'Take this page out' }).click();
    await until(async () => (await documentNow()).pages.length === 0);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('says what is wrong with a file that has no pages, and takes four hundred', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await state(page, 'Ready');
    await page.getByRole('button', { name: 'Sheet', exact: true }).click();
    const whole = await pdfOf('many.pdf', { title: 'Many', bars: 400, barsASystem: 1, systemsAPage: 1 });
    const cut = { name: 'cut.pdf', mimeType: 'application/pdf', buffer: Buffer.from('%PDF-1.7\n1 0 obj\n<< /Type') };
    await bring(page, cut);
    await page
      .getByText('cut.pdf: The PDF is damaged or cut short, so its pages cannot be read. It stays out')
      .waitFor();
    const broken = Buffer.concat([Buffer.from([0x89, 0x50, 0x4e, 0x47]), Buffer.alloc(40)]);
    await bring(page, { name: 'broken.png', mimeType: 'image/png', buffer: broken });
    await page.getByText('broken.png: The picture is damaged or cut short').waitFor();
    expect((await readSong(on.server.address, id)).document.sheet.pages).toEqual([]);
    await bring(page, whole);
    await page.getByText('400 pages joined the song’s sheet.').waitFor();
    await panelOf(page).getByText('page 1 of 400').waitFor();
    await until(async () => (await readSong(on.server.address, id)).document.sheet.pages.length === 400);
    // Marks come back with the page.
    await page.reload();
    await state(page, 'Ready');
    await page.getByRole('button', { name: 'Sheet', exact: true }).click();
    await panelOf(page).getByText('page 1 of 400').waitFor();
    await expect.poll(() => drawnOf(page)).toBe(true);
    expect(errors).toEqual([]);
    await context.close();
  });
});
