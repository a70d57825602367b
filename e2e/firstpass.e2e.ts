import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { saveMidi } from '../harness/played';
import { openTimed } from '../harness/clock/time';
import { choose, footplate, open, settled } from '../harness/browser';
import { readSong, startServer, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial(true);

const level = async (page: Page) => Number(await footplate(page).getByRole('meter').getAttribute('aria-valuenow'));
describe('a first pass', () => {
  it('goes from the demo song to a MIDI file that lines up, and is there the next day', async () => {
    const { page, context, outside, errors, time } = await openTimed(on.browser, on.server.address, '/');
    await page.getByText('Marsh Light, series two').waitFor();
    expect(await page.getByLabel('Electric piano: recorded 91%, picked 91%').count()).toBe(1);
    await page.getByText('The Orchard Gate').click();

    // The brief says what will happen; its phrases are where it is changed.
    const brief = page.getByRole('region', { name: 'The brief' });
    await brief.getByText('from bar 1 to the end').click();
    await page.getByRole('button', { name: 'Ending, bars 41–44' }).click();
    await page.keyboard.press('Escape');
    expect(await brief.innerText()).toContain(
      'Count 1 bar, then record a new take of Electric piano, bars 41–44, with what any keyboard plays, ' +
        'taking in notes up to a sixteenth early.',
    );

    // Keys are heard, and so are the backing and the click.
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    await page.keyboard.press(' ');
    await footplate(page).getByText('Playing', { exact: true }).waitFor();
    await until(async () => (await level(page)) > -50);
    await page.keyboard.press(' ');
    await footplate(page).getByText('Ready', { exact: true }).waitFor();

    await time.roll(() => page.keyboard.press('r'));
    await time.state('Counting off 4');
    // A little off the beats at 96 bpm; bar 41 begins after a hundred seconds.
    for (const [i, key] of [60, 64, 67, 65].entries()) {
      const at = 100 + i * 0.625 + (i % 2 ? 0.03 : -0.02);
      await time.press(key, at, at + 0.4);
    }
    await time.to(100.2);
    expect(await page.locator('[data-key="60"]').getAttribute('class')).toContain('held');
    await time.state('Ready');
    await time.free();
    await page.getByText('bars 41–44').last().waitFor();
    const longer = /bars 1–4[1-4] of 44/;
    await page.getByText(longer).waitFor();

    // The whole ending is quantized to quarters, and drawn while the slider is still held.
    await page.keyboard.press('Shift+Digit5');
    await choose(page, 'Bars', 'Ending');
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    await page.getByRole('button', { name: /^Grid/ }).click();
    await choose(page, 'Grid', 'quarters');
    await page.getByRole('slider', { name: 'Strength' }).focus();
    await page.keyboard.press('End');
    await page.getByText('Pull Electric piano, bars 41–44, 100% of the way to quarters').waitFor();
    await page.getByText('All kept').waitFor();
    // For the whole song the sentence says which bars are treated.
    await choose(page, 'Bars', 'The whole song');
    await page.getByText(/Electric piano, the whole song: .*bars 41–44 100% to quarters; the rest untreated/).waitFor();

    await page.keyboard.press('Shift+Digit6');
    const part = await saveMidi(page, 'Save Electric piano');
    expect(part.name).toBe('The Orchard Gate - Electric piano.mid');
    expect(part.song).toMatchObject({
      title: 'The Orchard Gate',
      end: 44 * 3840,
      meter: [{ bar: 1, beats: 4, unit: 4 }],
    });
    expect(part.song.tempo[0]!.bpm).toBeCloseTo(96, 3);
    expect(part.song.markers.map((m) => [m.text, m.tick / 3840 + 1])).toContainEqual(['Chorus 1', 17]);
    const ending = part.song.tracks[0]!.events.filter((e) => e.message.type === 'noteOn' && e.at >= 40 * 3840);
    expect(ending.map((e) => e.message.type === 'noteOn' && e.message.key)).toEqual([60, 64, 67, 65]);
    expect(ending.map((e) => e.at - 40 * 3840)).toEqual([0, 960, 1920, 2880]);
    const all = await saveMidi(page, 'Save all');
    expect(all.song.tracks.map((t) => t.name)).toEqual(['Electric piano', 'Tonewheel organ']);

    expect(outside).toEqual([]);
    expect(errors).toEqual([]);
    await context.close();

    // Another browser has the take, its treatment and undo.
    const later = await open(on.browser, on.server.address, '/songs/orchard-gate/play');
    await later.page.getByText(longer).waitFor();
    await later.page.keyboard.press('Shift+Digit5');
    await choose(later.page, 'Bars', 'Ending');
    await later.page.getByText('100% of the way to quarters').waitFor();
    for (let i = 0; i < 4; i += 1) await later.page.keyboard.press('u');
    await later.page.keyboard.press('Shift+Digit3');
    await later.page.getByText('bars 1–40 of 44').waitFor();
    await later.page.keyboard.press('y');
    await later.page.getByText(longer).waitFor();
    expect(later.outside).toEqual([]);
    await later.context.close();
  });
});

describe('the first minute on an empty desk', () => {
  it('leads a newcomer to a recorded part with the computer’s keys', async () => {
    const own = await startServer();
    const { page, context, outside, errors, time } = await openTimed(on.browser, own.address, '/', {
      init: async () => {},
    });
    await page.getByText('An empty desk').waitFor();
    await page.getByRole('button', { name: 'Take on a job' }).click();
    await page.getByLabel('Title').fill('Reed beds');
    await page.getByRole('button', { name: 'Take it on' }).click();
    await page.getByRole('button', { name: 'Add a song' }).click();
    await page.getByLabel('Song title').fill('First light');
    await page.getByRole('button', { name: 'Add the song' }).click();
    await page.getByText('Piano is not played yet').waitFor();
    await page.locator('[data-control=keyboard]').click();
    await page.getByLabel('Computer keys on').setChecked(true);
    await page.keyboard.press('Escape');
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    // While letters play notes, Record needs Ctrl.
    await page.keyboard.press('r');
    await settled(page);
    expect(await footplate(page).getByText('Counting').count()).toBe(0);
    await time.roll(() => page.keyboard.press('Control+r'));
    await time.to(0);
    for (const key of ['a', 'd', 'g']) {
      await time.move(350);
      await page.keyboard.down(key);
      await time.move(150);
      await page.keyboard.up(key);
    }
    // And a note on the strip at the foot of the page.
    await time.move(100);
    await page.locator('[data-key="72"]').click({ delay: 20 });
    await time.move(100);
    await page.keyboard.press('Control+r');
    await time.free();
    await page.getByText('In the line').or(page.locator('.take.heard')).first().waitFor();
    const jobs = (await (await fetch(`${own.address}/api/jobs`)).json()) as { songs: { id: string }[] }[];
    const song = await until(async () => {
      const found = await readSong(own.address, jobs[0]!.songs[0]!.id);
      return found.document.parts[0]!.takes.length === 1 && found;
    });
    expect(song.layers[0]!.events.flatMap((e) => (e.message.type === 'noteOn' ? [e.message.key] : []))).toEqual([
      60, 64, 67, 72,
    ]);
    expect([outside, errors]).toEqual([[], []]);
    await context.close();
    await own.end();
  });
});
