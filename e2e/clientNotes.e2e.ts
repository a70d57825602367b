import { describe, expect, it } from 'vitest';
import { open, state } from '../harness/browser';
import { addTakenSong } from '../harness/played';
import { readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();
const notes = Array.from({ length: 32 }, (_, i) => ({
  ...{ id: `n${i}`, key: 60 + (i % 5), velocity: 80, release: 64 },
  ...{ start: i * 960 + 70, end: i * 960 + 800 },
}));
const sections = [
  { id: 'v', name: 'Verse', bars: 4, pattern: null },
  { id: 'a', name: 'Chorus', bars: 2, pattern: null },
  { id: 'b', name: 'Chorus', bars: 2, pattern: null },
];
const song = () => addTakenSong(on.server.address, 8, 120, [{ notes, controls: [] }], { sections });

describe('the client’s notes', () => {
  it('are pasted, have their bars, are asked where it is not sure, ticked and answered', async () => {
    const id = await song();
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await state(page, 'Ready');
    await page.keyboard.press('Shift+N');
    const panel = page.getByRole('complementary', { name: 'Client’s notes' });
    await panel
      .getByLabel('New notes')
      .fill('Hi!\nbar 3 too busy; last note a bar longer\nthe chorus drags\nsecond chorus: softer');
    await panel.getByRole('button', { name: 'Also “Hi!”' }).waitFor();
    await panel.getByRole('button', { name: 'Add 4 notes' }).click();
    await panel.getByText('4 open of 4').waitFor();
    await panel.getByText('Which bars?').waitFor();
    await panel.getByRole('button', { name: 'bars 5–6 and 7–8' }).click();
    await panel.getByText('Which bars?').waitFor({ state: 'detached' });

    // Going to a note sets the brief.
    await panel.getByRole('button', { name: 'bar 3', exact: true }).click();
    await page
      .getByRole('region', { name: 'The brief' })
      .getByRole('button', { name: /bar 3$/ })
      .waitFor();

    // A change of its bars suggests that it is done; other notes stay open.
    expect(await panel.getByText('These bars have changed since.').count()).toBe(0);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Shift+Q');
    await page.keyboard.press('Shift+N');
    await panel.getByText('These bars have changed since.').first().waitFor();
    await panel.getByRole('button', { name: 'It is done' }).first().click();
    await panel.getByLabel('Answer to note 1').fill('Only the left hand now.');
    await page.keyboard.press('Tab');
    await panel.getByText('3 open of 4').waitFor();
    const kept = await until(async () => {
      const { document } = await readSong(on.server.address, id);
      return document.clientNotes[0]?.done?.answer ? document.clientNotes : false;
    });
    expect(kept.map((n) => [n.text, n.bars, n.done?.answer ?? null])).toEqual([
      ['bar 3 too busy', [{ first: 3, last: 3 }], 'Only the left hand now.'],
      ['last note a bar longer', [{ first: 8, last: 8 }], null],
      [
        'the chorus drags',
        [
          { first: 5, last: 6 },
          { first: 7, last: 8 },
        ],
        null,
      ],
      ['second chorus: softer', [{ first: 7, last: 8 }], null],
    ]);

    // Open notes stay open until a hand-over, where one press marks one as done.
    await page.keyboard.press('Escape');
    await page.keyboard.press('Shift+Digit6');
    await page.getByText('A note is open, on bar 8: last note a bar longer').waitFor();
    await page.getByRole('button', { name: 'it is done' }).first().click();
    await page.getByText('A note is open, on bar 8: last note a bar longer').waitFor({ state: 'detached' });
    await page.keyboard.press('u');
    await page.getByText('A note is open, on bar 8: last note a bar longer').waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('that are more than a song can hold stay where they were typed', async () => {
    const id = await song();
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/tidy`);
    await state(page, 'Ready');
    await page.getByRole('button', { name: 'Notes' }).click();
    const text = Array.from({ length: 10_000 }, (_, i) => `bar ${1 + (i % 8)} late`).join('\n');
    // Pasted, as typing so much takes the browser minutes.
    await page.getByLabel('New notes').evaluate((field, words) => {
      (field as HTMLTextAreaElement).value = words;
      field.dispatchEvent(new Event('input', { bubbles: true }));
    }, text);
    await page.getByRole('button', { name: 'Add 10000 notes' }).click();
    await page.getByText(/That is 10000 notes; a song holds 500.*The text is still here/).waitFor();
    expect((await page.getByLabel('New notes').inputValue()).length).toBe(text.length);
    // Bars that are not understood are reported, others are set.
    await page.getByLabel('New notes').fill('a bit late');
    await page.getByRole('button', { name: 'Add 1 note' }).click();
    await page.getByLabel('Bars of note 1').fill('later');
    await page.keyboard.press('Enter');
    await page.getByText('Type bars, as 12–14 or chorus 2.').waitFor();
    await page.getByLabel('Bars of note 1').fill('2-3, 5');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'bars 2–3 and 5' }).waitFor();
    await page.getByRole('button', { name: 'Take note 1 out' }).click();
    await page.getByText('Paste what the client wrote').waitFor();
    await context.close();
  });
});
