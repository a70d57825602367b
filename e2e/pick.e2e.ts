import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import type { Note, Reading } from '../core/performance/notes';
import { madeTakes } from '../core/testing/takes';
import { openTimed } from '../harness/clock/time';
import { choose, open } from '../harness/browser';
import { addTakenSong, lineOf } from '../harness/played';
import { readSong, until } from '../harness/server';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';
import { newPart } from '../core/document/part';

const on = trial();
const BAR = 3840;

const note = (key: number, start: number, length = 800): Note => ({
  id: `${key}:${start}`,
  key,
  velocity: 80,
  release: 64,
  start,
  end: start + length,
});
/** Take of quarters on one key in every bar, so that the line shows which take is picked. */
const quarters = (key: number, bars: number): Reading => ({
  notes: Array.from({ length: bars * 4 }, (_, i) => note(key, i * 960)),
  controls: [],
});
const kept = <T>(id: string, what: (song: OpenedSong) => T | false | undefined) =>
  until(async () => what(await readSong(on.server.address, id)));
/** Keys that are heard, bar by bar. */
const keysIn = (song: OpenedSong): number[] => {
  const bars = new Map<number, number>();
  for (const { key, from } of lineOf(song)) bars.set(Math.floor(from / 4), key);
  return [...bars.entries()].sort((a, b) => a[0] - b[0]).map(([, key]) => key);
};
const lanes = (page: Page) => page.getByRole('application', { name: /^Takes of/ });
const sentence = (page: Page) => page.getByRole('region', { name: 'The line' });
/** Middle of a bar in a take's lane, both from 1, in a sheet of so many bars. */
async function placeOf(page: Page, bars: number, lane: number, bar: number) {
  const box = (await lanes(page).boundingBox())!;
  const width = (box.width - 2 - 132 - 10) / bars;
  return { x: box.x + 1 + 132 + (bar - 0.5) * width, y: box.y + 1 + 26 + 92 + 16 + (lane - 1) * 88 + 40, width };
}
const pickPage = async (id: string) => {
  const opened = await open(on.browser, on.server.address, `/songs/${id}/pick`);
  await lanes(opened.page).waitFor();
  await opened.page.waitForFunction(() => document.querySelector('.lanes canvas')!.clientWidth > 400);
  return opened;
};

describe('a take that is late throughout', () => {
  it('is said once, and moved as a whole by one press; undo brings it back', async () => {
    const late = (100 / 60_000) * 112 * 960;
    const takes = madeTakes({ takes: 4, bars: 8, bpm: 112, looseness: 6, seed: 4, slips: 0 }).takes.map(
      ({ notes, controls }, i): Reading => ({
        notes: notes
          .filter((n) => n.start > 200 && n.end < 7.5 * BAR)
          .map((n) => (i === 1 ? { ...n, start: n.start + late, end: n.end + late } : n)),
        controls,
      }),
    );
    const id = await addTakenSong(on.server.address, 8, 112, takes);
    const { page, errors } = await pickPage(id);
    const said = page.getByRole('region', { name: /side by side/ });
    await said.getByText(/^Take 2 is \d+ ms late throughout\.$/).waitFor();
    expect(await said.getByText(/throughout\.$/).count()).toBe(1);
    await said.getByRole('button', { name: /^Move it \d+ ms earlier$/ }).click();
    await said.getByText(/throughout\.$/).waitFor({ state: 'detached' });
    const moved = await kept(id, (s) => s.document.parts[0]!.takes[1]!.warps[0]);
    expect(moved && Math.abs(moved.shift * 1000 + 100)).toBeLessThan(8);
    await page.keyboard.press('u');
    await said.getByText(/^Take 2 is \d+ ms late throughout\.$/).waitFor();
    expect(errors).toEqual([]);
  });
});

describe('a chorus from three takes', () => {
  it('is picked with the pointer: bar by bar, several, by an edge; it is there after a reload', async () => {
    const takes = [quarters(60, 8), quarters(62, 8), quarters(64, 8)];
    const id = await addTakenSong(on.server.address, 8, 120, takes);
    const { page, context, errors } = await pickPage(id);
    await sentence(page).getByText('bars 1–8 from').waitFor();
    const second = await placeOf(page, 8, 2, 3);
    await page.mouse.click(second.x, second.y);
    await sentence(page).getByText('bar 3 from').waitFor();
    const [from, to] = [await placeOf(page, 8, 1, 5), await placeOf(page, 8, 1, 6)];
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(to.x, to.y, { steps: 4 });
    await page.mouse.up();
    expect(await kept(id, (s) => keysIn(s)[5] === 60 && keysIn(s))).toEqual([64, 64, 62, 64, 60, 60, 64, 64]);
    // The right edge of take 1's range is dragged a bar on.
    const edge = await placeOf(page, 8, 1, 6);
    await page.mouse.move(edge.x + edge.width / 2, edge.y);
    await page.mouse.down();
    await page.mouse.move(edge.x + 1.5 * edge.width, edge.y, { steps: 4 });
    await page.mouse.up();
    expect(await kept(id, (s) => keysIn(s)[6] === 60 && keysIn(s))).toEqual([64, 64, 62, 64, 60, 60, 60, 64]);
    await sentence(page).getByRole('button', { name: 'All four joins are clean' }).waitFor();
    await page.reload();
    await sentence(page).getByText('bars 5–7 from').waitFor();
    await page.keyboard.press('u');
    await page.keyboard.press('u');
    expect(await kept(id, (s) => keysIn(s)[4] === 64 && keysIn(s))).toEqual([64, 64, 62, 64, 64, 64, 64, 64]);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is picked with keys alone, and another take is chosen in the sentence', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [quarters(60, 8), quarters(62, 8), quarters(64, 8)]);
    const { page, context } = await pickPage(id);
    await lanes(page).focus();
    await page.keyboard.press('ArrowDown');
    for (let i = 0; i < 2; i += 1) await page.keyboard.press('ArrowRight');
    await page.keyboard.press('Shift+ArrowRight');
    await page.getByRole('application', { name: /Take 2, bars 3–4[,.]/ }).waitFor();
    await page.keyboard.press('Enter');
    await page.getByRole('application', { name: /Take 2, bar 4, picked/ }).waitFor();
    await sentence(page)
      .getByRole('button', { name: /bars 5–8 from take 3/ })
      .click();
    await page
      .getByRole('option', { name: 'Take 1' })
      .or(page.getByText('Take 1', { exact: true }).last())
      .first()
      .click();
    expect(await kept(id, (s) => keysIn(s)[7] === 60 && keysIn(s))).toEqual([64, 64, 62, 62, 60, 60, 60, 60]);
    await context.close();
  });

  it('is picked while it plays: each range keeps the take that was heard; one undo takes it all back', async () => {
    const id = await addTakenSong(on.server.address, 8, 120, [quarters(60, 8), quarters(62, 8), quarters(64, 8)]);
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/pick`);
    await lanes(page).waitFor();
    await lanes(page).focus();
    await time.roll(() => page.keyboard.press(' '));
    await page.keyboard.press('f');
    await page.getByText('Take 1 is picked as it plays').waitFor();
    await time.to(4);
    await page.keyboard.press('ArrowDown');
    await page.getByText('Take 2 is picked as it plays').waitFor();
    await time.to(8);
    await page.keyboard.press(' ');
    await time.free();
    const picked = await kept(id, (s) => s.document.parts[0]!.comp.length > 1 && s);
    const keys = keysIn(picked);
    expect([keys[0], keys[1], keys[2], keys[3], keys[6]]).toEqual([60, 60, 62, 62, 64]);
    await page.keyboard.press('u');
    await kept(id, (s) => s.document.parts[0]!.comp.length === 1);
    await context.close();
  });
});

describe('a join', () => {
  it('through a held chord with the pedal down is found, and mended', async () => {
    const pedal = (at: number, value: number) => ({
      at,
      message: { type: 'control', controller: 64, value } as const,
    });
    const chord: Reading = {
      notes: [60, 64, 67].flatMap((key) => [note(key, 0, 1800), note(key, 1.5 * BAR, 1.2 * BAR)]),
      controls: [pedal(1.5 * BAR, 127), pedal(2.7 * BAR, 0)],
    };
    const id = await addTakenSong(on.server.address, 4, 120, [chord, quarters(72, 4)]);
    const { page, context } = await pickPage(id);
    // Pedal of the first take alone, under the notes of the second.
    await lanes(page).focus();
    await page.keyboard.press('ArrowRight');
    await page.getByRole('group', { name: 'Controllers alone' }).getByRole('button', { name: 'sustain pedal' }).click();
    const pedalled = await kept(id, (s) => s.document.parts[0]!.lanes.length === 1 && s);
    expect(pedalled.document.parts[0]!.lanes).toMatchObject([{ from: BAR, to: 2 * BAR, lane: 'control 64' }]);
    expect(lineOf(pedalled).every((n) => n.key === 72)).toBe(true);
    await page.keyboard.press('u');
    const first = await placeOf(page, 4, 1, 1);
    await page.mouse.move(first.x, first.y);
    await page.mouse.down();
    await page.mouse.move(first.x + first.width, first.y, { steps: 4 });
    await page.mouse.up();
    await page.getByRole('button', { name: /bar 3 .*wants a look/ }).click();
    await page.getByText('C4, E4, G4 held over it; the pedal is down before it only').waitFor();
    await page.getByRole('button', { name: 'Let ring' }).click();
    const ringing = await kept(id, (s) => lineOf(s).some((n) => n.key === 60 && n.to > 10) && s);
    expect(lineOf(ringing).find((n) => n.key === 60 && n.from > 1)!.to).toBeCloseTo(10.8, 3);
    await page.getByRole('button', { name: 'Lift the pedal' }).click();
    await page.getByRole('button', { name: /bar 3 .*mended/ }).waitFor();
    // Or it is accepted, and moved to where nothing is held.
    await page.getByRole('button', { name: 'Cut' }).click();
    await page.getByRole('button', { name: 'Lift the pedal' }).click();
    await page.getByRole('button', { name: /^Move to/ }).click();
    const clean = await kept(id, (s) => s.document.parts[0]!.comp[0]!.to !== 2 * BAR && s);
    expect(clean.document.parts[0]!.comp[0]!.to).toBeLessThanOrEqual(1.5 * BAR);
    await sentence(page)
      .getByRole('button', { name: /Its join is clean/ })
      .waitFor();
    await context.close();
  });
});

describe('a suggested comp', () => {
  it('is accepted, one range of it refused: what was picked by hand stays', async () => {
    const { takes } = madeTakes({ takes: 6, bars: 12, bpm: 120, looseness: 10, seed: 11, slips: 0.03 });
    // A take that is unrelated to the others is heard.
    const id = await addTakenSong(on.server.address, 12, 120, [...takes, quarters(60, 12)]);
    const { page, context } = await pickPage(id);
    const byHand = await placeOf(page, 12, 3, 1);
    await page.mouse.click(byHand.x, byHand.y);
    await kept(id, (s) => s.document.parts[0]!.comp.some((p) => p.by === 'hand'));
    await page.getByRole('button', { name: 'Suggest a comp' }).click();
    const ranges = page.getByRole('region', { name: 'Suggestion' }).getByRole('listitem');
    await ranges.first().waitFor();
    expect(await ranges.count()).toBeGreaterThan(1);
    await page
      .getByRole('button', { name: /^Accept bars?/ })
      .last()
      .click();
    const one = await kept(id, (s) => s.document.parts[0]!.comp.some((p) => p.by === 'suggestion') && s);
    expect(one.document.parts[0]!.comp.filter((p) => p.by === 'suggestion')).toHaveLength(1);
    await page.getByRole('button', { name: 'Accept these' }).click();
    const all = await kept(id, (s) => s.document.parts[0]!.comp.every((p) => p.by) && s);
    expect(all.document.parts[0]!.comp[0]).toMatchObject({ from: 0, to: BAR, by: 'hand' });
    await page.getByRole('button', { name: 'Accept these', disabled: true }).waitFor();
    await context.close();
  });
});

describe('a take', () => {
  it('is named, marked, hidden, deleted and brought back, moved to a part, made of what is picked', async () => {
    const organ = newPart({ id: 'organ', name: 'Organ' }, 1);
    const takes = [quarters(60, 4), quarters(62, 4)];
    const id = await addTakenSong(on.server.address, 4, 120, takes, { parts: [organ] });
    const { page, context, errors } = await pickPage(id);
    await page.getByRole('button', { name: 'Take 1: what to do with it' }).click();
    await page.getByLabel('Name of take 1').fill('The loud one');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'good', exact: true }).click();
    await page.keyboard.press('Escape');
    await kept(id, (s) => s.document.parts[0]!.takes[0]!.mark === 'good' && s.document.parts[0]!.takes[0]!.name);
    await page.getByRole('button', { name: 'Take sheet' }).click();
    await page.getByRole('cell', { name: 'The loud one' }).waitFor();
    await page.getByLabel('Filter the takes').fill('nobody');
    await page.getByText('No take says “nobody”').waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    await choose(page, 'Order of the takes', 'By marks');
    await page.getByRole('button', { name: /^Take 2: what/ }).click();
    await page.getByRole('button', { name: 'Delete', exact: true }).click();
    await kept(id, (s) => s.document.parts[0]!.takes.length === 1);
    await sentence(page).getByText('nothing is picked yet').waitFor();
    await page.keyboard.press('u');
    await page.getByRole('button', { name: /^Take 2: what/ }).click();
    await page.getByRole('button', { name: 'Hide', exact: true }).click();
    await page.getByRole('button', { name: 'Show 1 hidden' }).click();
    await page.getByRole('button', { name: /^Take 2: what/ }).click();
    await page.getByRole('button', { name: 'Move to Organ' }).click();
    const moved = await kept(id, (s) => s.document.parts[1]!.takes.length === 1 && s);
    expect(lineOf(moved, 1).map((n) => n.key)).toEqual(Array.from({ length: 16 }, () => 62));
    const first = await placeOf(page, 4, 1, 2);
    await page.mouse.click(first.x, first.y);
    await page.getByRole('button', { name: 'Make it one take' }).click();
    const made = await kept(id, (s) => s.document.parts[0]!.takes.length === 2 && s);
    expect(made.document.parts[0]!.takes[1]).toMatchObject({ name: 'What was picked' });
    expect(lineOf(made).map((n) => n.from)).toEqual([4, 5, 6, 7]);
    await page.reload();
    await page.getByRole('button', { name: 'What was picked: what to do with it' }).waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is heard in place of the line for as long as a key is held, and nothing is changed by it', async () => {
    const id = await addTakenSong(on.server.address, 4, 120, [quarters(60, 4), quarters(62, 4)]);
    const { page, context } = await pickPage(id);
    const before = await readSong(on.server.address, id);
    await lanes(page).focus();
    await page.keyboard.down('t');
    await page.getByText('The line, with take 1 in it.').waitFor();
    await page.keyboard.up('t');
    await page.getByText('The line.', { exact: true }).waitFor();
    await page.keyboard.press('Shift+T');
    await page.getByText('The line.', { exact: true }).waitFor();
    expect((await readSong(on.server.address, id)).revision).toBe(before.revision);
    await context.close();
  });
});

describe('two takes', () => {
  it('are laid over each other, and what differs is listed and stepped through', async () => {
    const other = quarters(60, 4);
    const slip = { ...other, notes: other.notes.map((n, i) => (i === 5 ? { ...n, key: 61 } : n)) };
    const id = await addTakenSong(on.server.address, 4, 120, [slip, other]);
    const { page, context, errors } = await pickPage(id);
    await page.getByRole('button', { name: 'Two, compared' }).click();
    await page.getByRole('img', { name: '1 differences, drawn' }).waitFor();
    await page.keyboard.press('ArrowDown');
    await page.getByText('2 · 2: C♯4 for C4').waitFor();
    await page.getByRole('button', { name: 'Hear the other' }).click();
    await page.getByRole('region', { name: 'Footplate' }).getByText('Playing', { exact: true }).waitFor();
    await page.getByRole('button', { name: 'In the piano roll' }).click();
    await page.getByText('Take 1, with take 2 beneath.').waitFor();
    await page.getByRole('application', { name: /Piano roll of Piano, bars 1–4: 16 notes/ }).waitFor();
    await page.getByRole('button', { name: 'Back to the line' }).click();
    await page.getByText('with take 2 beneath').waitFor({ state: 'detached' });
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('a part', () => {
  it('is renamed, inked, moved, duplicated, put away and brought back; its sound is found by typing', async () => {
    const organ = newPart({ id: 'organ', name: 'Organ' }, 1);
    const id = await addTakenSong(on.server.address, 4, 120, [quarters(60, 4)], { parts: [organ] });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await page.getByRole('button', { name: 'Piano: name, colour, place' }).click();
    await page.getByLabel('Name of Piano').fill('Stage piano');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'plum' }).click();
    await page.getByRole('button', { name: 'Down', exact: true }).click();
    const moved = await kept(id, (s) => s.document.parts[1]!.name === 'Stage piano' && s);
    expect(moved.document.parts[1]).toMatchObject({ ink: 'plum' });
    await page.getByRole('button', { name: 'Duplicate' }).click();
    const twice = await kept(id, (s) => s.document.parts.length === 3 && s);
    expect(lineOf(twice, 2)).toEqual(lineOf(twice, 1));
    await page.getByRole('button', { name: 'Organ: name, colour, place' }).click();
    await page.getByRole('button', { name: 'Put away' }).click();
    await page.getByRole('button', { name: 'Bring Organ back' }).click();
    await page.getByRole('button', { name: 'Organ’s sound: Full grand' }).click();
    await page.getByLabel('Find a sound').fill('horn');
    await page.getByRole('button', { name: 'Hear French horn' }).click();
    await page.getByRole('button', { name: 'French horn', exact: true }).click();
    await kept(id, (s) => s.document.parts[0]!.sound === 'program 61');
    await page.reload();
    await page.getByRole('button', { name: 'Organ’s sound: French horn' }).waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });
});
