import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import type { Note, Reading } from '../core/performance/notes';
import { keyOfY, keyY, keyHeight, laneBand, rollX, velocityBand, type RollFrame } from '../app/tidy/rollFrame';
import { newPart } from '../core/document/part';
import { choose, open } from '../harness/browser';
import { addTakenSong, saveMidi } from '../harness/played';
import { readSong, until } from '../harness/server';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';
import { lineOf as readLine, takeReader } from '../core/reading/reading';
import { mapsOf } from '../core/document/maps';
import type { Layer } from '../core/takes/layer';

const on = trial();
const BAR = 3840;

const note = (key: number, start: number, length = 800, velocity = 80): Note => ({
  ...{ id: `${key}:${start}`, key, velocity, release: 64, start, end: start + length },
});
/** Part of a chord a bar under a tune of quarters, with the pedal down in every other bar. */
const TUNE: Reading = {
  notes: Array.from({ length: 8 }, (_, bar) => [
    ...[48, 60, 64].map((key) => note(key, bar * BAR, 1800)),
    ...[0, 1, 2, 3].map((beat) => note(72 + beat, bar * BAR + beat * 960, 700)),
  ])
    .flat()
    .sort((a, b) => a.start - b.start || a.key - b.key),
  controls: [0, 2, 4, 6].flatMap((bar) => [
    { at: bar * BAR + 60, message: { type: 'control' as const, controller: 64, value: 127 } },
    { at: bar * BAR + 3000, message: { type: 'control' as const, controller: 64, value: 0 } },
  ]),
};
const PEDAL = 'control 64';

/** Treated line of the part, as the server has it. */
function lineOf(song: OpenedSong, index = 0) {
  const layers = new Map(
    song.layers.flatMap((l): [string, Layer][] => (l.closing ? [[l.header.id, { ...l, closing: l.closing }]] : [])),
  );
  const { document } = song;
  return readLine(document.parts[index]!, takeReader(layers, document.clocks), mapsOf(document));
}
const words = ({ key, start, end, velocity }: Note) => `${key} ${Math.round(start)}-${Math.round(end)} ${velocity}`;
const firstBars = (song: OpenedSong, bars = 1) => lineOf(song).notes.filter((n) => n.start < bars * BAR - 10);
const kept = <T>(id: string, what: (song: OpenedSong) => T | false | undefined) =>
  until(async () => what(await readSong(on.server.address, id)));
const pedal = (song: OpenedSong) => lineOf(song).controls.map((c) => [Math.round(c.at), c.message.value] as const);

const rollOf = (page: Page) => page.getByRole('application', { name: /^Piano roll/ });
async function tidyPage(id: string) {
  const opened = await open(on.browser, on.server.address, `/songs/${id}/tidy`);
  const roll = rollOf(opened.page);
  await roll.waitFor();
  await opened.page.waitForFunction(() => document.querySelector('.roll canvas')!.clientWidth > 400);
  const box = (await roll.boundingBox())!;
  // Bars 1 to 4, and all keys with notes with two around.
  const frame: RollFrame = {
    ...{ width: box.width - 2, height: box.height - 2, view: { from: 0, to: 4 * BAR }, lanes: [PEDAL] },
    keys: { low: 46, high: 77 },
  };
  const at = (tick: number, key: number) => ({
    x: box.x + 1 + rollX(frame, tick),
    y: box.y + 1 + keyY(frame, key) + keyHeight(frame) / 2,
  });
  const drag = async (from: { x: number; y: number }, to: { x: number; y: number }) => {
    await opened.page.mouse.move(from.x, from.y);
    await opened.page.mouse.down();
    await opened.page.mouse.move((from.x + to.x) / 2, (from.y + to.y) / 2);
    await opened.page.mouse.move(to.x, to.y);
    await opened.page.mouse.up();
  };
  const low = (band: { top: number; height: number }, tick: number, share = 0.5) => ({
    x: box.x + 1 + rollX(frame, tick),
    y: box.y + 1 + band.top + band.height * share,
  });
  const inVelocity = (tick: number, share: number) => low(velocityBand(frame), tick, share);
  const inPedal = (tick: number) => low(laneBand(frame, PEDAL), tick);
  expect(keyOfY(frame, keyY(frame, 60) + 1)).toBe(60);
  return { ...opened, roll, at, drag, inVelocity, inPedal };
}

describe('notes changed with the pointer', () => {
  it('are moved, lengthened, drawn, cut, softer; handed over so, there after a reload, undone one by one', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [TUNE]);
    const played = (await kept(id, (s) => s.layers.length > 0 && lineOf(s))).notes.map(words);
    const { page, context, errors, at, drag, inVelocity } = await tidyPage(id);
    // The tune's second quarter is dragged a sixteenth later and a tone up, with words beside it.
    const [from, to] = [at(1200, 73), at(1440, 75)];
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(to.x - 5, to.y);
    await page.mouse.move(to.x, to.y);
    await page.locator('.said', { hasText: 'E♭5  1·2·240' }).waitFor();
    await page.mouse.up();
    await kept(id, (s) => firstBars(s).map(words).includes('75 1200-1900 80'));
    // The third is dragged by its end, to the next grid line.
    const end = at(1920 + 700, 74);
    await drag({ x: end.x - 2, y: end.y }, { x: at(2880, 74).x, y: end.y });
    await kept(id, (s) => firstBars(s).map(words).includes('74 1920-2880 80'));
    // The chord is made softer.
    await page.mouse.dblclick(at(300, 60).x, at(300, 60).y);
    await drag(inVelocity(0, 0.4), inVelocity(0, 0.7));
    const softer = await kept(id, (s) => {
      const chord = firstBars(s).filter((n) => n.start < 10);
      return chord.length === 4 && chord.every((n) => n.velocity < 60) && chord.map((n) => n.velocity);
    });
    expect(new Set(softer).size).toBe(1);
    // A note is drawn, and one is split.
    await page.getByRole('button', { name: 'Draw', exact: true }).click();
    await drag(at(480 + 40, 69), at(900, 69));
    await kept(id, (s) => firstBars(s).some((n) => n.key === 69 && n.start === 480 && n.end === 960));
    await page.getByRole('button', { name: 'Cut', exact: true }).click();
    await page.mouse.click(at(970, 48).x, at(970, 48).y);
    await kept(
      id,
      (s) =>
        firstBars(s)
          .filter((n) => n.key === 48)
          .map((n) => n.end)
          .join() === '960,1800',
    );
    await page.getByRole('button', { name: /moved by hand/ }).waitFor();
    await page.getByText('All kept').waitFor();

    const there = await readSong(on.server.address, id);
    await page.keyboard.press('Shift+Digit6');
    const { song } = await saveMidi(page, 'Save Piano');
    const struck = song.tracks[0]!.events.filter((e) => e.message.type === 'noteOn').length;
    expect(struck).toBe(lineOf(there).notes.length);
    expect(song.tracks[0]!.events).toContainEqual({ at: 1200, message: { type: 'noteOn', key: 75, velocity: 80 } });
    expect(errors).toEqual([]);
    await context.close();

    const later = await tidyPage(id);
    await later.page.getByRole('button', { name: /moved by hand/ }).waitFor();
    for (const undone of ['splitting notes', 'adding a note', 'the velocity', 'the length of notes', 'moving 1 note']) {
      await later.page.locator(`[data-hint="Undo ${undone}"]`).waitFor();
      await later.page.keyboard.press('u');
    }
    const back = await kept(id, (s) => !s.document.parts[0]!.takes[0]!.edits.length && lineOf(s));
    expect(back.notes.map(words)).toEqual(played);
    await later.context.close();
  });

  it('several at once from a frame; silent and gone, then given back as they were played', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [TUNE]);
    const played = (await kept(id, (s) => s.layers.length > 0 && lineOf(s))).notes.map(words);
    const { page, context, at, drag, roll } = await tidyPage(id);
    await drag(at(BAR - 200, 77), at(2 * BAR - 60, 71));
    await page.getByRole('tab', { name: 'By hand' }).click();
    await page.getByText('4 notes selected.').waitFor();
    await page.getByRole('tab', { name: 'Notes' }).click();
    await page.getByRole('button', { name: 'Silence' }).click();
    await kept(id, (s) => lineOf(s).notes.length === played.length - 4);
    await roll.focus();
    await page.keyboard.press('Control+a');
    await page.keyboard.press('Delete');
    await kept(id, (s) => lineOf(s).notes.length === 0);
    await page.getByText('56 notes gone by hand').waitFor();
    await page.getByRole('button', { name: 'Give back as played' }).click();
    await page.getByText('What is silent or gone').click();
    const back = await kept(id, (s) => lineOf(s).notes.length === played.length && lineOf(s));
    expect(back.notes.map(words)).toEqual(played);
    await context.close();
  });

  it('stand where the hand put them, whatever the treatment, until they are let go', async () => {
    const late: Reading = {
      notes: TUNE.notes.map((n) => ({ ...n, start: n.start + 30, end: n.end + 30 })),
      controls: [],
    };
    const id = await addTakenSong(on.server.address, 8, 120, [late]);
    const { page, context, at, drag } = await tidyPage(id);
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    await page.getByRole('slider', { name: 'Strength' }).focus();
    await page.keyboard.press('End');
    await kept(id, (s) => lineOf(s).notes.every((n) => n.start % 240 === 0));
    await choose(page, 'Where notes snap', 'Anywhere');
    await drag(at(1300, 73), at(1400, 73));
    const put = await kept(id, (s) => {
      const moved = firstBars(s).find((n) => n.key === 73)!;
      return Math.abs(moved.start - 1060) < 12 && moved.start;
    });
    await page.getByRole('slider', { name: 'Strength' }).focus();
    await page.keyboard.press('Home');
    await kept(id, (s) =>
      lineOf(s)
        .notes.filter((n) => n.key === 72)
        .every((n) => n.start % 240 === 30),
    );
    expect((await kept(id, (s) => firstBars(s).find((n) => n.key === 73)))!.start).toBe(put);
    await page.getByRole('slider', { name: 'Strength' }).focus();
    await page.keyboard.press('End');
    await page.getByRole('tab', { name: 'By hand' }).click();
    await page.getByRole('button', { name: 'Give back to the treatment' }).click();
    await kept(id, (s) => firstBars(s).find((n) => n.key === 73)?.start === 960);
    await context.close();
  });
});

describe('notes changed with keys alone', () => {
  it('are walked to and said, moved, lengthened, touched, silenced, copied; typed figures count', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [TUNE]);
    const { page, context, errors, roll } = await tidyPage(id);
    await roll.focus();
    for (let i = 0; i < 5; i += 1) await page.keyboard.press('ArrowRight');
    await page.getByText('C♯5, 1·2·000, velocity 80, 700 ticks long').waitFor();
    await page.keyboard.press('Control+ArrowRight');
    await page.keyboard.press('Control+ArrowUp');
    await page.keyboard.press(']');
    await page.keyboard.press('+');
    await kept(
      id,
      (s) => firstBars(s).map(words).includes('74 1200-2140 85') || firstBars(s).map(words).includes('74 1200-1920 85'),
    );
    await page.keyboard.press('0');
    await kept(id, (s) => !firstBars(s).some((n) => n.velocity === 85));
    await page.keyboard.press('0');
    await page.keyboard.press('Control+c');
    // Pasted at the playhead in bar 1, then repeated.
    await page.keyboard.press('Control+v');
    await kept(id, (s) => firstBars(s).some((n) => n.key === 74 && n.start === 0 && n.velocity === 85));
    await page.keyboard.press('Control+d');
    await kept(id, (s) => firstBars(s).filter((n) => n.key === 74 && n.velocity === 85).length === 3);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Home');
    await page.getByRole('tab', { name: 'By hand' }).click();
    const starts = page.getByRole('textbox', { name: 'Starts' });
    await starts.fill('1.1.30');
    await starts.press('Enter');
    await page.getByRole('textbox', { name: 'Velocity' }).fill('101');
    await page.getByRole('textbox', { name: 'Velocity' }).press('Enter');
    await kept(id, (s) => firstBars(s).some((n) => n.start === 30 && n.velocity === 101));
    await starts.fill('nowhere');
    await starts.press('Enter');
    await page.getByText('A place is a bar, a beat and ticks, as 17·2·120. Nothing was changed.').waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('of a take that is not picked, which is heard where it is', async () => {
    const other: Reading = { notes: [note(50, 0), note(52, 960)], controls: [] };
    const id = await addTakenSong(on.server.address, 8, 120, [other, TUNE]);
    const before = await kept(id, (s) => s.layers.length === 2 && lineOf(s).notes.map(words));
    const { page, context, roll } = await tidyPage(id);
    await choose(page, 'What is shown', 'Take 1');
    await page.getByText('Take 1, all of it, whether it is picked or not.').waitFor();
    await roll.focus();
    await page.keyboard.press('End');
    await page.keyboard.press('Delete');
    const song = await kept(id, (s) => s.document.parts[0]!.takes[0]!.edits.length === 1 && s);
    expect(lineOf(song).notes.map(words)).toEqual(before);
    const alone = {
      ...song.document.parts[0]!,
      comp: [{ from: 0, to: 8 * BAR, takeId: song.document.parts[0]!.takes[0]!.id }],
    };
    expect(lineOf({ ...song, document: { ...song.document, parts: [alone] } }).notes.map((n) => n.key)).toEqual([50]);
    // Notes pasted while a take is shown go into the take.
    await page.keyboard.press('Control+a');
    await page.keyboard.press('Control+c');
    await page.keyboard.press('Control+d');
    const pasted = await kept(id, (s) => s.document.parts[0]!.takes[0]!.edits.length === 2 && s);
    expect(lineOf(pasted).notes.map(words)).toEqual(before);
    expect(pasted.document.parts[0]!.takes[1]!.layers).toHaveLength(1);
    await context.close();
  });
});

describe('controllers', () => {
  it('the pedal is moved, trimmed, drawn and taken away as bars, notes untouched', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [TUNE]);
    const notes = await kept(id, (s) => s.layers.length > 0 && lineOf(s).notes.map(words));
    const { page, context, drag, inPedal, roll } = await tidyPage(id);
    await choose(page, 'Where notes snap', 'Beats');
    await drag(inPedal(3000 - 20), inPedal(3840));
    await kept(id, (s) => pedal(s).some(([at, v]) => at === 3840 && v === 0));
    await drag(inPedal(BAR + 960), inPedal(BAR + 2880));
    await kept(id, (s) => pedal(s).some(([at, v]) => at === BAR + 960 && v === 127));
    // The selected bar goes by a key.
    await page.mouse.click(inPedal(2 * BAR + 1500).x, inPedal(0).y);
    await roll.focus();
    await page.keyboard.press('Delete');
    const song = await kept(id, (s) => !pedal(s).some(([at]) => at > 2 * BAR && at < 3 * BAR) && s);
    expect(pedal(song).slice(0, 4)).toEqual([
      [60, 127],
      [3840, 0],
      [BAR + 960, 127],
      [BAR + 2880, 0],
    ]);
    expect(lineOf(song).notes.map(words)).toEqual(notes);
    await context.close();
  });

  it('another is drawn as a line, made less, cleared; recording over it is one press', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [TUNE]);
    const { page, context, roll, drag } = await tidyPage(id);
    const menu = page.getByRole('dialog', { name: 'Controllers' });
    await page.getByRole('button', { name: 'Controllers' }).click();
    await menu.getByRole('button', { name: /^Show the mod/ }).click();
    await choose(page, 'How they are drawn', 'A line');
    await page.keyboard.press('Escape');
    const box = (await roll.boundingBox())!;
    await drag({ x: box.x + 70, y: box.y + box.height - 16 }, { x: box.x + 400, y: box.y + box.height - 46 });
    const mod = (s: OpenedSong) =>
      lineOf(s).controls.filter((c) => c.message.type === 'control' && c.message.controller === 1);
    const most = await kept(id, (s) => mod(s).length > 20 && Math.max(...mod(s).map((c) => c.message.value)));
    await page.getByRole('button', { name: 'Controllers' }).click();
    const own = menu.locator('.lane', { hasText: /modulation|mod/i });
    await own.getByRole('button', { name: 'A quarter less' }).click();
    await kept(id, (s) => Math.abs(Math.max(...mod(s).map((c) => c.message.value)) - most * 0.75) <= 1);
    await own.getByRole('button', { name: 'Clear' }).click();
    await kept(id, (s) => mod(s).length === 0);
    await own.getByRole('button', { name: 'Record over it' }).click();
    await kept(id, (s) => s.document.brief.ride === 'control 1' && s.document.brief.part === 'piano');
    await context.close();
  });
});

/** Dialog for copying, moving, repeating, swapping and clearing bars. */
function barsDialog(page: Page) {
  const dialog = page.getByRole('dialog', { name: 'Bars' });
  const field = async (name: string, value: number) => {
    await dialog.getByRole('textbox', { name }).fill(String(value));
    await dialog.getByRole('textbox', { name }).press('Tab');
  };
  const doIt = async (act: string, figures: Record<string, number>) => {
    await page.getByRole('button', { name: 'Bars', exact: true }).click();
    await dialog.getByRole('group', { name: 'What to do with bars' }).getByRole('button', { name: act }).click();
    for (const [name, value] of Object.entries(figures)) await field(name, value);
  };
  const go = (act: string) => dialog.getByRole('button', { name: act }).last().click();
  return { dialog, field, doIt, go };
}

describe('bars', () => {
  it('are repeated, copied to another part and cleared, each one step of undo', async () => {
    const organ = newPart({ id: 'organ', name: 'Organ' }, 1);
    const id = await addTakenSong(on.server.address, 8, 120, [TUNE], { parts: [organ] });
    const before = await kept(id, (s) => s.layers.length > 0 && lineOf(s).notes.map(words));
    const { page, context, errors } = await tidyPage(id);
    const { dialog, doIt, go } = barsDialog(page);
    await doIt('Repeat', { 'First bar': 1, 'Last bar': 2, 'To bar': 8 });
    await dialog.getByText('Bars 1–2 of Piano will be heard again and again through bar 8.').waitFor();
    await go('Repeat');
    const song = await kept(
      id,
      (s) => s.document.parts[0]!.takes.length === 2 && lineOf(s).notes.length === before.length && s,
    );
    const at = (bar: number) =>
      lineOf(song).notes.filter((n) => n.start >= bar * BAR - 1 && n.start < (bar + 2) * BAR - 1);
    const shape = (bar: number) => at(bar).map((n) => `${n.key} ${Math.round(n.start - bar * BAR)} ${n.velocity}`);
    for (const bar of [2, 4, 6]) expect(shape(bar)).toEqual(shape(0));
    await page.keyboard.press('u');
    await kept(id, (s) => lineOf(s).notes.map(words).join() === before.join());
    await doIt('Copy', { 'First bar': 3, 'Last bar': 4, 'To bar': 1 });
    await choose(page, 'To part', 'Organ');
    await go('Copy');
    const there = await kept(id, (s) => s.document.parts[1]!.takes.length === 1 && lineOf(s, 1).notes);
    expect(there.map((n) => n.key)).toEqual(at(2).map((n) => n.key));
    await doIt('Swap', { 'First bar': 1, 'Last bar': 1, 'To bar': 1 });
    await dialog.getByText('Bars cannot be swapped with themselves.').waitFor();
    await dialog.getByRole('button', { name: 'Cancel' }).click();
    await doIt('Clear', { 'First bar': 1, 'Last bar': 4 });
    await go('Clear');
    await kept(id, (s) => lineOf(s).notes.every((n) => n.start >= 4 * BAR - 1));
    expect(errors).toEqual([]);
    await context.close();
  });

  it('are moved and swapped, of one part or of every part, the pedal with them', async () => {
    // Each bar has its own key for all quarters, so it can be recognized; the pedal is down in odd ones.
    const told: Reading = {
      notes: Array.from({ length: 32 }, (_, i) => note(60 + (i >> 2), i * 960, 700)),
      controls: TUNE.controls,
    };
    const organ = newPart({ id: 'organ', name: 'Organ' }, 1);
    const id = await addTakenSong(on.server.address, 8, 120, [told], { parts: [organ] });
    /** Key of each bar, with p for pedal, as in "60p"; "-" for a silent bar. */
    const barsOf = (s: OpenedSong, part = 0) => {
      const { notes, controls } = lineOf(s, part);
      return Array.from({ length: 8 }, (_, bar) => {
        const inBar = ({ at }: { at: number }) => at >= bar * BAR - 1 && at < (bar + 1) * BAR - 1;
        const own = notes.filter((n) => inBar({ at: n.start }));
        const keys = [...new Set(own.map((n) => n.key))].join('/');
        const down = controls.some((c) => inBar(c) && c.message.value === 127);
        return own.length === 0 ? '-' : `${keys}${own.length === 4 ? '' : `×${own.length}`}${down ? 'p' : ''}`;
      }).join(' ');
    };
    const PLAYED = '60p 61 62p 63 64p 65 66p 67';
    await kept(id, (s) => s.layers.length > 0 && barsOf(s) === PLAYED);
    const { page, context, errors } = await tidyPage(id);
    const { dialog, doIt, go } = barsDialog(page);
    await doIt('Swap', { 'First bar': 1, 'Last bar': 2, 'To bar': 5 });
    await dialog.getByText('Bars 1–2 of Piano and bars 5–6 change places.').waitFor();
    await go('Swap');
    await kept(id, (s) => barsOf(s) === '64p 65 62p 63 60p 61 66p 67');
    await page.keyboard.press('u');
    await kept(id, (s) => barsOf(s) === PLAYED);
    await doIt('Copy', { 'First bar': 3, 'Last bar': 4, 'To bar': 1 });
    await choose(page, 'To part', 'Organ');
    await go('Copy');
    const ORGAN = '62p 63 - - - - - -';
    await kept(id, (s) => barsOf(s, 1) === ORGAN);
    await doIt('Move', { 'First bar': 1, 'Last bar': 2, 'To bar': 7 });
    await dialog.getByRole('button', { name: 'Every part' }).click();
    await dialog.getByText('Bars 1–2 of every part will be heard in bars 7–8, and no more where they were.').waitFor();
    await go('Move');
    await kept(id, (s) => barsOf(s) === '- - 62p 63 64p 65 60p 61' && barsOf(s, 1) === '- - - - - - 62p 63');
    await page.reload();
    await rollOf(page).waitFor();
    await page.keyboard.press('u');
    const song = await kept(id, (s) => barsOf(s) === PLAYED && barsOf(s, 1) === ORGAN && s);
    // Copied layers stay on the server, and are no take any more.
    expect(song.document.parts.map((p) => p.takes.length)).toEqual([1, 1]);
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('the list', () => {
  it('chooses with the roll, is typed over, filtered, and saved as text', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [TUNE]);
    const { page, context, errors } = await tidyPage(id);
    await page.getByRole('button', { name: 'List', exact: true }).click();
    const list = page.getByRole('region', { name: 'The list' });
    await list.getByRole('button', { name: 'At: 1·2·000' }).first().click();
    await page.getByRole('tab', { name: 'By hand' }).click();
    await page.getByText('One note selected.').waitFor();
    await list.getByRole('button', { name: 'Event: C♯5' }).first().press('Enter');
    await list.locator('.typed').fill('G5');
    await list.locator('.typed').press('Enter');
    await kept(id, (s) => firstBars(s).some((n) => n.key === 79 && n.start === 960));
    await choose(page, 'Kind of event', 'Controllers');
    await list.getByRole('button', { name: 'Value: 127' }).first().dblclick();
    await list.locator('.typed').fill('90');
    await list.locator('.typed').press('Enter');
    await kept(id, (s) => pedal(s)[0]![1] === 90);
    await choose(page, 'Kind of event', 'Notes');
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      list.getByRole('button', { name: 'Save as text' }).click(),
    ]);
    const text = readFileSync(await download.path(), 'utf8');
    expect(text).toContain('1·2·000\tG5\t80\t700\t64\t1·2·000');
    expect(text.trim().split('\n').length).toBe(2 + 1 + 56);
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('quick mends', () => {
  it('are counted, stepped through, left and taken', async () => {
    const slips: Reading = {
      notes: [...TUNE.notes, note(75, 960 + 20, 60, 22), note(60, 40, 1700, 40), note(48, 5 * BAR + 45, 1500, 60)].sort(
        (a, b) => a.start - b.start,
      ),
      controls: [],
    };
    const id = await addTakenSong(on.server.address, 8, 120, [slips]);
    const before = await kept(id, (s) => s.layers.length > 0 && lineOf(s).notes.length);
    const { page, context } = await tidyPage(id);
    await page.getByRole('tab', { name: 'Mends' }).click();
    const mends = page.getByRole('region', { name: 'Quick mends' });
    await mends.getByText('2', { exact: true }).first().waitFor();
    await mends.getByRole('button', { name: 'Next' }).click();
    await mends
      .getByText(/C4 at 1·1 is played twice within/)
      .first()
      .waitFor();
    await mends.getByRole('button', { name: 'Mend', exact: true }).click();
    await kept(id, (s) => lineOf(s).notes.length === before - 1);
    await mends.getByRole('button', { name: /Keep one of each \(1\)/ }).click();
    await kept(id, (s) => lineOf(s).notes.length === before - 2);
    await mends.getByText('1 place', { exact: true }).waitFor();
    await mends.getByRole('button', { name: 'Leave' }).click();
    await mends.getByText(/Nothing here looks like a slip/).waitFor();
    await context.close();
  });
});

it('what is changed while a long song plays is handed over as far as it sounds soon, then whole', async () => {
  const bars = 60;
  const notes = Array.from({ length: bars }, (_, bar) => note(60, bar * BAR));
  const id = await addTakenSong(on.server.address, bars, 120, [{ notes, controls: [] }]);
  const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/tidy`);
  const roll = page.getByRole('application', { name: /^Piano roll/ });
  await roll.waitFor();
  await page.getByText('Ready', { exact: true }).waitFor();
  await roll.focus();
  await page.keyboard.press('Control+a');
  await page.keyboard.press(' ');
  await page.getByText('Playing', { exact: true }).waitFor();
  // Number of events and length of each schedule.
  await page.evaluate(`{
    window.schedules = [];
    const post = MessagePort.prototype.postMessage;
    MessagePort.prototype.postMessage = function (message, ...rest) {
      if (message?.type === 'schedule')
        schedules.push(message.packed.at.at(-1) - tallKettle.engine().context.currentTime);
      return post.call(this, message, ...rest);
    };
  }`);
  await roll.focus();
  await page.keyboard.press('Control+ArrowUp');
  const lasts = await until(async () => {
    const all = (await page.evaluate('schedules')) as number[];
    return all.some((s) => s > 60) && all;
  });
  expect(lasts[0]).toBeLessThan(31);
  expect(lasts.at(-1)).toBeGreaterThan(60);
  await kept(id, (song) => lineOf(song).notes.every((n) => n.key === 61));
  await page.keyboard.press(' ');
  expect(errors).toEqual([]);
  await context.close();
});
