import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import type { Note, Reading } from '../core/performance/notes';
import { lineOf as readLine, takeReader } from '../core/reading/reading';
import { mapsOf } from '../core/document/maps';
import { newPart } from '../core/document/part';
import { recipeOf } from '../core/timing/recipe';
import type { Layer } from '../core/takes/layer';
import { openTimed } from '../harness/clock/time';
import { choose, open } from '../harness/browser';
import { addPlayedSong, addTakenSong, chooseBars, OLD, putAway, saveMidi } from '../harness/played';
import { readSong, until } from '../harness/server';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';

const on = trial(true);
const BAR = 3840;
const HALFWAY = 119;

const note = (key: number, start: number, length = 200): Note => ({
  ...{ id: `${key}:${start}`, key, velocity: 80, release: 64, start, end: start + length },
});
/** Eighths, every other a little late; with three notes between two sixteenths. */
const LATE = 24;
const STRAY = [2 * BAR + 960 + HALFWAY, 4 * BAR + 1920 + HALFWAY, 6 * BAR + 2880 + HALFWAY];
const LOOSE: Reading = {
  notes: [
    ...Array.from({ length: 64 }, (_, i) => note(60 + (i % 5), i * 480 + (i % 2) * LATE)),
    ...STRAY.map((start, i) => note(80 + i, start, 90)),
  ].sort((a, b) => a.start - b.start || a.key - b.key),
  controls: [],
};

function lineOf(song: OpenedSong, index = 0) {
  const layers = new Map(
    song.layers.flatMap((l): [string, Layer][] => (l.closing ? [[l.header.id, { ...l, closing: l.closing }]] : [])),
  );
  const { document } = song;
  return readLine(document.parts[index]!, takeReader(layers, document.clocks), mapsOf(document));
}
const kept = <T>(id: string, what: (song: OpenedSong) => T | false | undefined) =>
  until(async () => what(await readSong(on.server.address, id)));
const recipe = (song: OpenedSong, part = 0) => song.document.parts[part]!.treatments[0];
const starts = (song: OpenedSong) => lineOf(song).notes.map((n) => Math.round(n.start));
const slider = (page: Page, name: string) => page.getByRole('slider', { name, exact: true });
const tidy = async (id: string) => {
  const opened = await open(on.browser, on.server.address, `/songs/${id}/tidy`);
  await opened.page.getByRole('button', { name: /^(Quantize these bars|Take it off)$/ }).waitFor();
  return opened;
};

describe('a part', () => {
  it('is put in time in one action, its settings are moved while it plays, undone, there after a reload', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [LOOSE]);
    const played = await kept(id, (s) => s.layers.length > 0 && starts(s));
    const { page, context, errors } = await tidy(id);
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    const first = await kept(id, (s) => recipe(s)?.strength === 0.7 && starts(s));
    expect(first).not.toEqual(played);
    await page.keyboard.press(' ');
    await page.getByText('Playing', { exact: true }).waitFor();
    // In the page itself, so that no pause between two of them ends the change, however slow the machine is.
    await slider(page, 'Strength').evaluate(async (thumb) => {
      for (let i = 0; i < 30; i += 1) {
        thumb.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true, cancelable: true }));
        await new Promise((done) => setTimeout(done));
      }
    });
    // Shown already while it plays, before the pause after a change.
    await page.getByText('100% of the way to sixteenths').waitFor();
    await kept(id, (s) => recipe(s)?.strength === 1);
    // A late eighth is on its grid line now.
    const full = await kept(id, (s) => !starts(s).includes(480 + LATE) && starts(s));
    expect(full.filter((s) => s === 480)).toHaveLength(1);
    // A key compares both while it plays.
    await page.keyboard.press('t');
    await page.getByText('Playing half treated').waitFor();
    await page.keyboard.press('t');
    await page.getByText('Playing untreated').waitFor();
    await page.keyboard.press('t');
    await page.getByText('Playing', { exact: true }).waitFor();
    await page.keyboard.press(' ');
    const treatedFile = (await fileOf(page, id)).map((n) => n.at);
    expect(treatedFile).toContain(480);
    await page.reload();
    await page.getByText('100% of the way to sixteenths').waitFor();
    // Changes made in one go are one undo step.
    await page.keyboard.press('u');
    await kept(id, (s) => recipe(s)?.strength === 0.7);
    await page.getByText('70% of the way to sixteenths').waitFor();
    await page.getByRole('button', { name: 'Take it off' }).click();
    const back = await kept(id, (s) => s.document.parts[0]!.treatments.length === 0 && starts(s));
    expect(back).toEqual(played);
    const playedFile = (await fileOf(page, id)).map((n) => n.at);
    expect(playedFile).toContain(480 + LATE);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('has three doubtful notes decided by keys alone, and they stay so when the recipe changes', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [LOOSE]);
    await kept(id, (s) => s.layers.length > 0);
    const { page, context, errors } = await tidy(id);
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    await page.getByRole('button', { name: /need your ear$/ }).click();
    const list = page.getByRole('region', { name: 'Needs your ear' });
    const rows = list.locator('li');
    await rows.first().waitFor();
    const places = (await rows.allTextContents()).join(' ');
    for (const place of ['3·2·1', '5·3·1', '7·4·1']) expect(places).toContain(place);
    const keys = await rows.locator('.what').allTextContents();
    const count = await rows.count();
    // Notes are accepted, moved to the next line, and given back as played, one by one.
    for (const [i, key] of ['q', 'x', 'a'].entries()) {
      await page.keyboard.press(key);
      await list.locator('li', { hasText: keys[i]!.slice(0, 8) }).waitFor({ state: 'detached' });
    }
    expect(count).toBeGreaterThanOrEqual(3);
    await list.getByText('3 notes decided').waitFor();
    const decided = await kept(id, (s) => {
      const all = Object.values(s.document.parts[0]!.decided);
      return all.length === 3 && all;
    });
    expect(decided.filter((d) => d === 'played')).toHaveLength(1);
    expect(decided.filter((d) => typeof d === 'number' && d % 240 === 0)).toHaveLength(2);
    const asPlayed = (song: OpenedSong) => starts(song).filter((s) => s % 240 === HALFWAY).length;
    await page.getByRole('tab', { name: 'Timing' }).click();
    await page.getByRole('button', { name: /^Grid/ }).click();
    await choose(page, 'Grid', 'quarters');
    await kept(id, (s) => recipe(s)?.grid === '4 straight' && asPlayed(s) >= 1);
    const song = await readSong(on.server.address, id);
    expect(Object.values(song.document.parts[0]!.decided)).toEqual(decided);
    // Undone one by one; removed all at once.
    await page.getByRole('tab', { name: 'Your ear' }).click();
    await page.keyboard.press('u');
    await page.keyboard.press('u');
    await kept(id, (s) => Object.keys(s.document.parts[0]!.decided).length === 2);
    await page.getByRole('button', { name: 'Reset them' }).click();
    await kept(id, (s) => Object.keys(s.document.parts[0]!.decided).length === 0);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('steadies a hand that drifts, one hand of it at a time, and keeps a recipe by name for another part', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [
      { notes: LOOSE.notes.map((n) => ({ ...n, start: n.start + 30, end: n.end + 30 })), controls: [] },
    ]);
    const played = await kept(id, (s) => s.layers.length > 0 && lineOf(s).notes);
    const { page, context, errors } = await tidy(id);
    await page.getByRole('group', { name: 'Whose notes' }).getByRole('button', { name: 'Right' }).click();
    await choose(page, 'The right hand', 'from E♭4 up');
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    await page.getByRole('button', { name: 'Steady the hand' }).click();
    await kept(id, (s) => recipe(s)?.way === 'steady' && recipe(s)?.keys?.low === 63);
    const song = await readSong(on.server.address, id);
    const now = new Map(lineOf(song).notes.map((n) => [n.id, n]));
    for (const { id: name, key, start } of played) {
      const by = start - now.get(name)!.start;
      if (key < 63) expect(by).toBe(0);
      else if (key < 80) expect(Math.abs(by - 42)).toBeLessThan(20);
    }
    await page.getByRole('button', { name: 'Recipes' }).click();
    await page.getByLabel('Keep this recipe as').fill('Settle');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByRole('button', { name: 'Forget Settle' }).waitFor();
    const answer = await fetch(`${on.server.address}/api/kept/recipes`);
    expect(await answer.json()).toMatchObject([{ name: 'Settle', value: { way: 'steady' } }]);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('has its recipe laid on other parts in one step of undo, and takes one from elsewhere', async () => {
    const others = ['Organ', 'Strings'].map((name, i) => newPart({ id: name.toLowerCase(), name }, i + 1));
    const id = await addTakenSong(on.server.address, 8, 120, [LOOSE], { parts: others });
    await kept(id, (s) => s.layers.length > 0 && lineOf(s).notes.length > 0);
    const { page, context, errors } = await tidy(id);
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    await page.getByRole('button', { name: 'Steady the hand' }).click();
    await kept(id, (s) => recipe(s)?.way === 'steady');
    const menu = page.getByRole('dialog', { name: 'Recipes' });
    await page.getByRole('button', { name: 'Recipes' }).click();
    await menu.getByRole('button', { name: 'Organ' }).click();
    await menu.getByRole('button', { name: 'Strings' }).click();
    await menu.getByRole('button', { name: 'Apply it to them' }).click();
    const all = await kept(id, (s) => recipe(s, 1) && recipe(s, 2) && s.document.parts.map((p) => p.treatments[0]!));
    const own = all.map((t) => JSON.stringify({ ...recipeOf(t), from: t.from, to: t.to }));
    expect(new Set(own).size).toBe(1);
    await page.keyboard.press('Escape');
    await page.keyboard.press('u');
    await kept(id, (s) => !recipe(s, 1) && !recipe(s, 2) && recipe(s)?.way === 'steady');
    // On another part the menu offers it, with its origin.
    await choose(page, 'Part', 'Organ');
    await page.getByRole('button', { name: 'Recipes' }).click();
    await menu.getByRole('button', { name: /^Piano, / }).click();
    await kept(id, (s) => recipe(s, 1)?.way === 'steady' && !recipe(s, 2));
    expect(errors).toEqual([]);
    await context.close();
  });
});

it('lines of a long part are found away from the page, and are the same as on it', async () => {
  const long = Array.from({ length: 1800 }, (_, i) => note(50 + (i % 30), i * 240 + ((i * 37) % 60) - 20));
  const id = await addTakenSong(on.server.address, 120, 120, [{ notes: long, controls: [] }]);
  await kept(id, (s) => s.layers.length > 0);
  const { page, context, errors } = await tidy(id);
  const says = async () =>
    (await page.getByRole('img', { name: /^\d+ notes and chords\. / }).getAttribute('aria-label'))!;
  const [worker] = await Promise.all([
    page.waitForEvent('worker', (w) => w.url().includes('lines')),
    page.getByRole('button', { name: 'Quantize these bars' }).click(),
  ]);
  expect(worker.url()).toContain('lines');
  await kept(id, (s) => recipe(s)?.strength === 0.7);
  await until(async () => !/now (.*), within \1/.test(await says()) && (await says()).includes('now'));
  const sixteenths = await says();
  await page.getByRole('button', { name: /^Grid/ }).click();
  await choose(page, 'Grid', 'eighths');
  await kept(id, (s) => recipe(s)?.grid === '8 straight');
  // Until the new lines are found, the page shows the old ones.
  let before = sixteenths;
  await until(async () => {
    const now = await says();
    await page.waitForTimeout(2000);
    before = await says();
    return now !== sixteenths && now === before;
  });
  await page.reload();
  await page.getByRole('button', { name: 'Take it off' }).waitFor();
  // After a reload they are found on the page.
  await until(async () => (await says()) === before);
  expect(errors).toEqual([]);
  await context.close();
});

it('a feel is taken from the demo’s drums, seen, and kept by name', async () => {
  const { page, context, errors } = await tidy('orchard-gate');
  await choose(page, 'Bars', 'Verse 1');
  await page.getByRole('button', { name: 'Quantize these bars' }).click();
  await page.getByRole('button', { name: /^Feel/ }).click();
  await page.getByRole('button', { name: 'Take a feel from these bars of…' }).click();
  await page.getByRole('listbox', { name: 'What a feel is taken from' }).or(page.locator('.v-list')).first().waitFor();
  await page.getByText('Drums and bass mix (backing)').click();
  const laid = await kept('orchard-gate', (s) => s.document.parts[0]!.treatments.find((t) => t.feel)?.feel);
  expect(laid.feel.name).toBe('Drums and bass mix');
  expect(laid.feel.places.length).toBeGreaterThanOrEqual(4);
  // The band keeps to the grid: where a bass swells late, the hat with it has the time.
  for (const { ms } of laid.feel.places) expect(Math.abs(ms)).toBeLessThan(10);
  await page.getByRole('img', { name: /^Drums and bass mix\. / }).waitFor();
  await page.getByRole('button', { name: 'Keep it by name' }).click();
  await page.getByRole('button', { name: 'Forget it' }).waitFor();
  const answer = await fetch(`${on.server.address}/api/kept/feels`);
  expect(await answer.json()).toMatchObject([{ name: 'Drums and bass mix' }]);
  expect(errors).toEqual([]);
  await context.close();
});

it('on the way in, the whole recipe treats what a merged pass brought, and nothing else', async () => {
  const id = await addPlayedSong(on.server.address, 6, 240);
  const { page, context, errors, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/play`);
  await chooseBars(page, 2, 3);
  await page.keyboard.press('Escape');
  await page.locator('[data-control=mode]').click();
  await page.getByRole('button', { name: 'Merge', exact: true }).click();
  await page.keyboard.press('Escape');
  await page.locator('[data-control=quantize]').click();
  await page.getByLabel('Pull the take to the grid').check();
  await slider(page, 'Strength').focus();
  await page.keyboard.press('End');
  await page.getByRole('button', { name: /^Earlier or later/ }).click();
  await slider(page, 'Earlier or later as a whole').focus();
  for (let i = 0; i < 5; i += 1) await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Escape');
  await page.getByText('100% to sixteenths, 5 ms later, chords keep their spread').waitFor();
  await time.roll(() => page.keyboard.press('r'));
  // Twenty milliseconds late for the second beat.
  await time.press(72, 1.27, 1.4);
  await time.state('Recording');
  await time.state('Ready');
  await time.free();
  await putAway(on.server.address, id, 2);
  const song = await kept(id, (s) => s.document.parts[0]!.treatments.length === 1 && s);
  const { notes } = lineOf(song);
  const [late] = notes.filter((n) => n.key === 72);
  // On its line, later by the offset: 5 ms are 19.2 ticks at 240 bpm.
  expect(late!.start).toBeCloseTo(BAR + 960 + 19.2, 0);
  expect(late!.played.start).toBeCloseTo(BAR + 960 + 76.8, 0);
  for (const n of notes.filter((n) => n.key === OLD)) expect(n.start).toBe(n.played.start);
  expect(errors).toEqual([]);
  await context.close();
});

it('says how early and late the notes of a long part were, and are once it is treated', async () => {
  const bars = 240;
  const notes = Array.from({ length: bars * 8 }, (_, i) => note(60 + (i % 5), i * 480 + 24));
  // At 125 bpm two ticks are a millisecond.
  const id = await addTakenSong(on.server.address, bars, 125, [{ notes, controls: [] }]);
  const { page, context, errors } = await tidy(id);
  const said = (now: string) =>
    `${bars * 8} notes and chords. As played 12 ms late, half of them within 0 ms of that; now ${now}`;
  await page.getByRole('img', { name: said('12 ms late') }).waitFor();
  await page.getByRole('button', { name: 'Quantize these bars' }).click();
  // By seven tenths, as a recipe begins.
  await page.getByRole('img', { name: said('4 ms late') }).waitFor();
  expect(errors).toEqual([]);
  await context.close();
});

/** Notes of the part in the delivered file, in ticks. */
async function fileOf(page: Page, id: string): Promise<{ readonly at: number; readonly key: number }[]> {
  await page.goto(`${on.server.address}/songs/${id}/hand-over`);
  const { song } = await saveMidi(page, 'Save Piano');
  await page.goto(`${on.server.address}/songs/${id}/tidy`);
  await page.getByRole('tab', { name: 'Timing' }).waitFor();
  return song.tracks[0]!.events.flatMap(({ at, message }) =>
    message.type === 'noteOn' && message.velocity > 0 ? [{ at, key: message.key }] : [],
  );
}
