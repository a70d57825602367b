import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { performed } from '../core/testing/playing';
import { newPart } from '../core/document/part';
import { openTimed } from '../harness/clock/time';
import { footplate, open, pressRecord, withKeyboard } from '../harness/browser';
import { lineOf, press } from '../harness/played';
import { addSong, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();

const openPlay = (id: string) => openTimed(on.browser, on.server.address, `/songs/${id}/play`);
const takesOf = async (id: string, part = 0) =>
  (await readSong(on.server.address, id)).document.parts[part]!.takes.length;
/** Line as key, start and end in quarters, exact to the tick. */
const lineIn = async (id: string, part = 0) =>
  lineOf(await readSong(on.server.address, id), part).map((n) => [
    n.key,
    Math.round(n.from * 960) / 960,
    Math.round(n.to * 960) / 960,
  ]);
const holds = (page: Page, words: string) => footplate(page).getByText(words).waitFor();

/** Number of look-back's events in the browser's storage. */
const heldInStorage = (page: Page): Promise<number> =>
  page.evaluate(
    () =>
      new Promise<number>((done) => {
        const asked = indexedDB.open('tall-kettle');
        asked.onsuccess = () => {
          const all = asked.result.transaction('held').objectStore('held').getAll();
          all.onsuccess = () => {
            asked.result.close();
            done(all.result.flat().length);
          };
        };
      }),
  );

/** Sends a performance with time stamps up to a moment ago. */
async function playFreely(page: Page, style: 'chords' | 'waltz', bpm: number, bars: number): Promise<number> {
  const { notes } = performed({ style, bpm, bars, looseness: 6, drift: 0, seed: 9 });
  const sent = notes
    .flatMap((n) => [
      [n.start, 0x90, n.key, n.velocity],
      [n.end, 0x80, n.key, 64],
    ])
    .sort((a, b) => a[0]! - b[0]!);
  await page.evaluate(
    `{ const sent = ${JSON.stringify(sent)}; const base = performance.now() - 1000 * sent.at(-1)[0]; ` +
      'for (const [at, ...bytes] of sent) midiSend(bytes, base + 1000 * at); }',
  );
  return notes.length;
}

/** A recorded note is not offered by look-back; after undo it is. */
async function withUndonePass(id: string) {
  const opened = await openPlay(id);
  const { page, time } = opened;
  await time.roll(() => pressRecord(page));
  await time.press(60, 0.5, 0.75);
  await time.to(1);
  await page.keyboard.press('r');
  await time.state('Ready');
  await time.free();
  await until(async () => (await takesOf(id)) === 1);
  await holds(page, 'nothing held');
  await page.keyboard.press('u');
  await holds(page, '1 note held');
  return opened;
}

describe('keeping what rolled', () => {
  it('while rolling and after stopping, each note once, where it was played; undo gives it back', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 120 }], bars: 16 });
    const { page, context, errors, time } = await openPlay(id);
    expect(await page.getByRole('button', { name: 'Keep what I just played' }).isDisabled()).toBe(true);
    await time.roll(() => page.keyboard.press(' '));
    await time.press(60, 0.5, 0.75);
    await time.press(62, 1, 1.25);
    await time.to(1.75);
    await holds(page, '2 notes held');
    await page.keyboard.press('k');
    await until(async () => (await takesOf(id)) === 1);
    expect(await lineIn(id)).toEqual([
      [60, 1, 1.5],
      [62, 2, 2.5],
    ]);
    await time.move(400);
    await holds(page, 'nothing held');
    // The note just before the press is included.
    await time.press(63, 2.5, 2.6);
    await time.to(2.61);
    await page.keyboard.press('k');
    await until(async () => (await takesOf(id)) === 2);
    expect(await lineIn(id)).toContainEqual([63, 5, 5.2]);
    await time.press(64, 4.5, 4.75);
    await time.to(5);
    await page.keyboard.press(' ');
    await time.state('Ready');
    await time.free();
    await holds(page, '1 note held');
    await page.getByRole('button', { name: 'Keep what I just played' }).click();
    await until(async () => (await takesOf(id)) === 3);
    expect(await lineIn(id)).toEqual([
      [60, 1, 1.5],
      [62, 2, 2.5],
      [63, 5, 5.2],
      [64, 9, 9.5],
    ]);
    await page.keyboard.press('k');
    await page.getByText('Nothing was played since the last keep or pass.').waitFor();
    await page.keyboard.press('u');
    await until(async () => (await takesOf(id)) === 2);
    await holds(page, '1 note held');
    expect(errors).toEqual([]);
    await context.close();
  });

  it('puts each note on the part that was listening, and laps come apart', async () => {
    const base = {
      tempo: [{ tick: 0, bpm: 240 }],
      bars: 8,
      parts: [newPart({ id: 'piano', name: 'Piano' }, 0), newPart({ id: 'organ', name: 'Organ' }, 1)],
    };
    const id = await addSong(on.server.address, base);
    const { page, context, time } = await openPlay(id);
    await time.roll(() => page.keyboard.press(' '));
    await time.press(60, 0.5, 0.75);
    await time.to(1);
    await page.getByRole('button', { name: 'arm', exact: true }).click();
    await time.press(64, 1.5, 1.75);
    await time.to(2);
    await page.keyboard.press('k');
    await until(async () => (await takesOf(id)) === 1 && (await takesOf(id, 1)) === 1);
    expect([await lineIn(id), await lineIn(id, 1)]).toEqual([[[60, 2, 3]], [[64, 6, 7]]]);
    await page.keyboard.press(' ');
    await time.state('Ready');
    await time.free();
    await page.keyboard.press('Home');
    await page.keyboard.press('l');
    await time.roll(() => page.keyboard.press(' '));
    await footplate(page).getByText('Round bars 1–8').waitFor();
    // Two laps of eight seconds with a note in each.
    await time.press(70, 1, 1.5);
    await time.press(72, 9.25, 9.75);
    await time.to(10);
    await page.keyboard.press('k');
    // Each lap is a take; the later one is picked as far as it goes.
    await until(async () => (await takesOf(id, 1)) === 3);
    expect(await lineIn(id, 1)).toEqual([[72, 5, 7]]);
    await context.close();
  });

  it('lets what is held at the keep ring to its release, and takes nothing that was struck after it', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 120 }], bars: 16 });
    const { page, context, time } = await openPlay(id);
    await time.roll(() => page.keyboard.press(' '));
    await time.press(60, 0.5, 2.25);
    await time.press(64, 1.75, 2.5);
    await time.to(1.5);
    await page.keyboard.press('k');
    await time.to(3);
    await until(async () => (await takesOf(id)) === 1);
    expect(await lineIn(id)).toEqual([[60, 1, 4.5]]);
    await page.keyboard.press('k');
    await until(async () => (await takesOf(id)) === 2);
    expect(await lineIn(id)).toContainEqual([64, 3.5, 5]);
    await context.close();
  });

  it('does not offer what a pass recorded, unless the pass is undone', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 240 }], bars: 8 });
    const { page, context } = await withUndonePass(id);
    await page.keyboard.press('k');
    await until(async () => (await takesOf(id)) === 1);
    expect(await lineIn(id)).toEqual([[60, 2, 3]]);
    await context.close();
  });

  it('keeps nothing twice where another window brings the pass back meanwhile', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 240 }], bars: 8 });
    const { page, context } = await withUndonePass(id);
    await until(async () => (await takesOf(id)) === 0);
    const other = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await other.page.getByText('All kept').waitFor();
    await context.setOffline(true);
    await page.keyboard.press('k');
    await page.getByText('Server away, kept in this browser').waitFor();
    await other.page.keyboard.press('y');
    await until(async () => (await takesOf(id)) === 1);
    await context.setOffline(false);
    await page.getByText(/The same playing is in a take again/).waitFor();
    await page.getByText('The rest is kept').waitFor();
    await holds(page, 'nothing held');
    expect(await takesOf(id)).toBe(1);
    expect(await lineIn(id)).toEqual([[60, 2, 3]]);
    await other.context.close();
    await context.close();
  });
});

describe('keeping what was played with nothing rolling', () => {
  it('shows readings, the likeliest first, to change, to hear, and to lay on the song’s tempo', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 90 }], bars: 16 });
    const { page, context, errors } = await openPlay(id);
    const count = await playFreely(page, 'chords', 112, 4);
    await holds(page, `${count} notes held`);
    await page.keyboard.press('k');
    const panel = page.getByRole('dialog', { name: 'Look-back' });
    await panel.getByText(/^11[12](\.\d)? a minute, 4 beats a bar, likeliest/).waitFor();
    expect(await panel.locator('[data-test^=reading]').count()).toBeGreaterThan(1);
    await panel.getByRole('button', { name: 'Half' }).click();
    await panel
      .getByText(/^(55|56)(\.\d)? a minute/)
      .first()
      .waitFor();
    await panel.getByRole('button', { name: 'Double' }).click();
    await panel.getByRole('button', { name: 'Hear it with a click' }).click();
    await panel.getByRole('button', { name: 'Quiet' }).waitFor();
    await panel.getByRole('button', { name: 'Keep it' }).click();
    await until(async () => (await takesOf(id)) === 1);
    const line = lineOf(await readSong(on.server.address, id));
    expect(line).toHaveLength(count);
    // On the song's beats, with the deviations that were played.
    expect(line[0]!.from).toBeLessThan(0.1);
    for (const note of line) expect(Math.abs(note.from * 2 - Math.round(note.from * 2))).toBeLessThan(0.2);
    await panel.waitFor({ state: 'detached' });
    await page.keyboard.press('u');
    await holds(page, `${count} notes held`);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('gives the song its tempo and meter, and can stay in free time', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 90 }], bars: 2 });
    const { page, context } = await openPlay(id);
    await playFreely(page, 'waltz', 138, 6);
    await page.keyboard.press('k');
    const panel = page.getByRole('dialog', { name: 'Look-back' });
    await panel.getByText(/3 beats a bar, likeliest/).waitFor();
    await panel.getByRole('button', { name: 'The song takes its tempo', exact: true }).click();
    await panel.getByRole('button', { name: 'Keep it' }).click();
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.takes.length === 1 && found;
    });
    expect(song.document.tempo).toHaveLength(1);
    expect(Math.abs(song.document.tempo[0]!.bpm / 138 - 1)).toBeLessThan(0.02);
    expect(song.document.meter).toMatchObject([{ bar: 1, beats: 3, unit: 4 }]);
    expect(song.document.bars).toBeGreaterThanOrEqual(6);
    await context.close();
  });

  it('is still held after a reload and a crash of the page, and can be forgotten', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context } = await openPlay(id);
    await press(page, 60);
    await press(page, 62);
    await holds(page, '2 notes held');
    await until(async () => (await heldInStorage(page)) === 4);
    await page.reload();
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    await holds(page, '2 notes held');
    await press(page, 64);
    await until(async () => (await heldInStorage(page)) === 6);
    // A killed page cannot store anything.
    await page.goto('chrome://crash').catch(() => {});
    const again = await context.newPage();
    await again.goto(`/songs/${id}/play`);
    await footplate(again).getByText('Ready', { exact: true }).waitFor();
    await holds(again, '3 notes held');
    await footplate(again)
      .getByRole('button', { name: /Look-back/ })
      .click();
    const panel = again.getByRole('dialog', { name: 'Look-back' });
    await panel.getByText(/3 notes, nothing rolling/).waitFor();
    await panel.getByRole('button', { name: 'Forget it all' }).click();
    await panel.getByRole('button', { name: 'Really forget all of it' }).click();
    await panel.getByText('There is nothing here for this song').waitFor();
    await again.reload();
    await footplate(again).getByText('Ready', { exact: true }).waitFor();
    // With an empty buffer nothing has to be loaded first.
    await press(again, 67);
    await holds(again, '1 note held');
    await context.close();
  });
});

describe('two windows that hear the same keyboard', () => {
  /** A note is buffered in the first window; the second one has it. */
  async function bothOpen(id: string) {
    const opened = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    const { page: first, context, errors } = opened;
    await footplate(first).getByText('Ready', { exact: true }).waitFor();
    await press(first, 60);
    await holds(first, '1 note held');
    const second = await context.newPage();
    await second.goto(`/songs/${id}/play`);
    await holds(second, '1 note held');
    return { first, second, context, errors };
  }

  it('hold what is played once: the one in the player’s hands, and the other when that one goes', async () => {
    const id = await addSong(on.server.address);
    const { first, second, context, errors } = await bothOpen(id);
    // The focused window takes over.
    await press(second, 62);
    await press(first, 62);
    await holds(second, '2 notes held');
    await second.close();
    await holds(first, '2 notes held');
    await press(first, 64);
    await holds(first, '3 notes held');
    expect(errors).toEqual([]);
    await context.close();
  });

  it('keep what was played once, though the server could tell neither of the other', async () => {
    const id = await addSong(on.server.address);
    const { page: first, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await footplate(first).getByText('Ready', { exact: true }).waitFor();
    await first.keyboard.press(' ');
    await footplate(first).getByText('Playing', { exact: true }).waitFor();
    await press(first, 60);
    await press(first, 64);
    await first.keyboard.press(' ');
    await holds(first, '2 notes held');
    const second = await context.newPage();
    await second.goto(`/songs/${id}/play`);
    await holds(second, '2 notes held');
    await context.setOffline(true);
    await first.keyboard.press('k');
    await first.getByText(/kept/).first().waitFor();
    await holds(second, 'nothing held');
    await second.keyboard.press('k');
    await second.getByText('Nothing was played since the last keep or pass.').waitFor();
    await context.setOffline(false);
    for (const page of [first, second]) await page.getByText('All kept').waitFor();
    const { document } = await readSong(on.server.address, id);
    expect(document.parts[0]!.takes).toHaveLength(1);
    await context.close();
  });

  it('have forgotten what one of them forgets', async () => {
    const id = await addSong(on.server.address);
    const { first, second, context } = await bothOpen(id);
    await footplate(second)
      .getByRole('button', { name: /Look-back/ })
      .click();
    await second.getByRole('button', { name: 'Forget it all' }).click();
    await second.getByRole('button', { name: 'Really forget all of it' }).click();
    await holds(first, 'nothing held');
    await context.close();
  });
});
