import { describe, expect, it } from 'vitest';
import { open, state } from '../harness/browser';
import { textFile } from '../harness/files';
import { addSong, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();
const sections = [
  { id: 'v', name: 'Verse', bars: 4, pattern: null },
  { id: 'c', name: 'Chorus', bars: 4, pattern: null },
];

describe('the written part', () => {
  it('is typed or dropped, stays as it was written, and stands on the stand', async () => {
    const id = await addSong(on.server.address, { bars: 8, sections });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/set-up`);
    await state(page, 'Ready');
    await page.getByRole('tab', { name: 'Written part' }).click();
    const panel = page.getByRole('region', { name: 'Written part' });
    const field = panel.getByLabel('Written part, as text');
    // Text that does not fit is reported, and changes nothing.
    await field.fill('[Bridge]\nC');
    await panel.getByRole('button', { name: 'Write it' }).click();
    await panel.getByText('There is no section “Bridge” in the song. Nothing was changed').waitFor();
    await field.fill('[Verse]\n| (A) Am7 | D7sus4 . . D7 | % | G "softly" |\n[Chorus]\nC∆ | Hm');
    await panel.getByText('6 bars written. Shown as written: Hm.').waitFor();
    await panel.getByRole('button', { name: 'Write it' }).click();
    await expect.poll(() => panel.getByRole('button', { name: 'Write it' }).isDisabled()).toBe(true);
    const { written } = await until(async () => {
      const { document } = await readSong(on.server.address, id);
      return document.written.length === 6 && document;
    });
    expect(written.map((w) => [w.bar, w.letter, w.chords, w.words])).toEqual([
      [1, 'A', 'Am7', ''],
      [2, '', 'D7sus4 . . D7', ''],
      [3, '', 'D7sus4 . . D7', ''],
      [4, '', 'G', 'softly'],
      [5, '', 'C∆', ''],
      [6, '', 'Hm', ''],
    ]);
    // Undo takes it back, and redo restores it.
    await page
      .getByRole('button', { name: 'To Play' })
      .or(page.getByRole('link', { name: 'To Play' }))
      .click();
    await page.keyboard.press('s');
    const stand = page.getByRole('region', { name: 'Stand' });
    await stand.getByText('(A) Am7').waitFor();
    await stand.getByText('G “softly”').waitFor();
    await page.keyboard.press('Escape');
    await page.keyboard.press('u');
    await page.keyboard.press('s');
    await stand.getByText('(A) Am7').waitFor({ state: 'detached' });
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is taken from the text that comes with the client’s files, where none is written yet', async () => {
    const id = await addSong(on.server.address, { bars: 8, sections });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/set-up`);
    await state(page, 'Ready');
    const bring = (text: string) =>
      page.locator('.backings input[type=file]').setInputFiles([textFile('form.txt', text)]);
    await bring('Brushes, please.\n\nVerse:\n| Am7 | D7 | G | C |\nChorus:\n| F | G7 |');
    await page.getByText('Chords of 6 bars were found in it').waitFor();
    const first = await until(async () => {
      const { document } = await readSong(on.server.address, id);
      return document.written.length === 6 && document;
    });
    expect(first.written.map((w) => w.bar)).toEqual([1, 2, 3, 4, 5, 6]);
    expect(first.notes).toContain('Brushes, please.');
    // A second text replaces nothing.
    await bring('| E | E | E | E |');
    const second = await until(async () => {
      const { document } = await readSong(on.server.address, id);
      return document.notes.includes('| E |') && document;
    });
    expect(second.written).toEqual(first.written);
    expect(errors).toEqual([]);
    await context.close();
  });
});
