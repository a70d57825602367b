import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { LAP_POLICIES } from '../core/recording/settings';
import { MODES } from '../core/recording/clears';
import { newPart } from '../core/song/document';
import { footplate, open, withKeyboard } from './browser';
import { addPlayedSong, chooseBars, lineOf, OLD, putAway, strike } from './played';
import { addSong, readSong, until } from './server';
import { trial } from './trial';

const on = trial();
const BPM = 240;

async function openPlay(id: string) {
  const opened = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
  await footplate(opened.page).getByText('Ready', { exact: true }).waitFor();
  return opened;
}
const state = (page: Page, words: string, timeout = 15_000) => footplate(page).getByText(words, { exact: true }).waitFor({ timeout });
const upper = (text: string) => text[0]!.toUpperCase() + text.slice(1);
const olds = (line: ReturnType<typeof lineOf>) => line.filter((n) => n.key === OLD).map((n) => Math.round(n.from));
const quarters = (from: number, to: number) => Array.from({ length: to - from }, (_, i) => from + i);

describe('what happens to what is there', () => {
  it.each(MODES)('%s', async (mode) => {
    const id = await addPlayedSong(on.server.address, 6, BPM);
    const { page, context, errors } = await openPlay(id);
    await chooseBars(page, 2, 3);
    await page.keyboard.press('Escape');
    await page.locator('[data-control=mode]').click();
    await page.getByRole('button', { name: upper(mode), exact: true }).click();
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.waitForTimeout(550);
    await strike(page, 72, 500);
    await state(page, 'Ready');
    const song = await putAway(on.server.address, id, 2);
    const line = await until(async () => { const l = lineOf(await readSong(on.server.address, id)); return l.some((n) => n.key === 72) && l; });
    const [mine] = line.filter((n) => n.key === 72);
    // What was sent is what was kept: half a second is two quarters, and it is in the bars that were asked for.
    const sent = song.layers[1]!.events.filter((e) => 'key' in e.message && e.message.key === 72);
    expect(sent.map((e) => e.message.type)).toEqual(['noteOn', 'noteOff']);
    // A dropout of the audio device between the two moves the music, not the strike.
    expect(Math.abs(sent[1]!.at - sent[0]!.at - 0.5)).toBeLessThan(0.08);
    expect(mine!.from).toBeGreaterThan(4);
    expect(mine!.from).toBeLessThan(12);
    const kept = {
      'new take': quarters(0, 4), replace: quarters(0, 4), merge: quarters(0, 12), 'replace from my first note': quarters(0, Math.ceil(mine!.from)),
      'replace while I play': quarters(0, 12).filter((q) => q < mine!.from || q >= mine!.to),
    }[mode];
    expect(olds(line)).toEqual([...kept, ...quarters(12, 24)]);
    const after = (await readSong(on.server.address, id)).document.parts[0]!;
    expect(after.takes.map((t) => t.layers.length)).toEqual(mode === 'new take' ? [1, 1] : [2]);
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('laps', () => {
  it.each(LAP_POLICIES)('%s', async (laps) => {
    const id = await addPlayedSong(on.server.address, 6, BPM);
    const { page, context, errors } = await openPlay(id);
    await chooseBars(page, 2, 3);
    await page.getByLabel('Go round until I stop').check();
    await page.getByRole('button', { name: upper(laps), exact: true }).click();
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    await state(page, 'Recording');
    // A note in each of the first two laps, none in the third, and the fourth is broken off after another.
    await page.waitForTimeout(500);
    await strike(page, 72);
    await footplate(page).getByText('Round bars 2–3, lap 2').waitFor();
    await page.waitForTimeout(500);
    await strike(page, 74);
    await footplate(page).getByText('Round bars 2–3, lap 4').waitFor();
    await page.waitForTimeout(300);
    await strike(page, 76);
    await page.waitForTimeout(200);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.takes.some((t) => t.layers.some((l) => l.endsWith('.3'))) && found;
    });
    const { takes } = song.document.parts[0]!;
    const line = lineOf(song);
    const heard = line.filter((n) => n.key > OLD).map((n) => n.key).sort();
    const expected = {
      'a new take each': { layers: [1, 1, 1, 1], heard: [76] }, 'build up': { layers: [4], heard: [72, 74, 76] },
      'fresh, then build up': { layers: [1, 3], heard: [72, 74, 76] }, 'play to overwrite': { layers: [4], heard: [76] },
      'keep the last full lap': { layers: [1, 1, 1, 1], heard: [74] }, 'a layer each': { layers: [4], heard: [72, 74, 76] },
    }[laps];
    expect(takes.map((t) => t.layers.length)).toEqual(expected.layers);
    // The broken-off lap takes only its own stretch: what it does not reach is heard as it stood.
    expect(heard.filter((k) => expected.heard.includes(k))).toEqual(expected.heard);
    expect(olds(line).filter((q) => q < 4 || q >= 12)).toEqual([...quarters(0, 4), ...quarters(12, 24)]);
    // Every note that was sent is in a layer, once.
    const struck = song.layers.slice(1).flatMap((l) => l.events.flatMap((e) => (e.message.type === 'noteOn' ? [e.message.key] : [])));
    expect([...new Set(struck)].sort()).toEqual([72, 74, 76]);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('are taken back while the loop goes on: the last one goes, and the next is recorded', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context, errors } = await openPlay(id);
    await chooseBars(page, 1, 2);
    await page.getByLabel('Go round until I stop').check();
    await page.getByRole('button', { name: 'Build up', exact: true }).click();
    await page.keyboard.press('Escape');
    const keys = async () => { const song = await readSong(on.server.address, id); return lineOf(song).filter((n) => n.key > OLD).map((n) => n.key).join(); };
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.waitForTimeout(400);
    await strike(page, 72);
    await footplate(page).getByText('Round bars 1–2, lap 2').waitFor();
    await until(async () => await keys() === '72');
    await page.keyboard.press('u');
    await until(async () => await keys() === '');
    await strike(page, 74);
    await page.waitForTimeout(300);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    await until(async () => await keys() === '74');
    await page.keyboard.press('u');
    await until(async () => await keys() === '');
    await page.keyboard.press('y');
    await until(async () => await keys() === '74');
    // What was taken back is still held.
    expect((await readSong(on.server.address, id)).layers.flatMap((l) => l.events).some((e) => e.message.type === 'noteOn' && e.message.key === 72)).toBe(true);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('that are layers can be muted and moved out to a part of their own, and come back', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context } = await openPlay(id);
    await chooseBars(page, 1, 2);
    await page.getByLabel('Go round until I stop').check();
    await page.getByRole('button', { name: 'A layer each' }).click();
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.waitForTimeout(300);
    await strike(page, 72);
    await footplate(page).getByText('Round bars 1–2, lap 2').waitFor();
    await strike(page, 74);
    await page.waitForTimeout(300);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    await page.getByRole('button', { name: '3 layers' }).click();
    const keys = async (index: number) => { const found = await readSong(on.server.address, id); return found.document.parts[index] ? lineOf(found, index).filter((n) => n.key > OLD).map((n) => n.key).join() : ''; };
    await until(async () => await keys(0) === '72,74' || await keys(0) === '74,72');
    await page.getByRole('button', { name: 'Mute lap 1, added' }).click();
    await until(async () => await keys(0) === '74');
    await page.getByRole('button', { name: 'Mute lap 1, added' }).click();
    await page.getByRole('button', { name: 'Move lap 2, added out to a part of its own' }).click();
    await until(async () => await keys(0) === '72' && await keys(1) === '74');
    await page.keyboard.press('u');
    await until(async () => await keys(1) === '' && (await keys(0)).length === 5);
    await context.close();
  });

  it('are taken back one by one or all together, also after a reload, and given back again', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context } = await openPlay(id);
    await chooseBars(page, 1, 1);
    await page.getByLabel('Go round until I stop').check();
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    await state(page, 'Recording');
    for (const [i, key] of [72, 74, 76].entries()) {
      await footplate(page).getByText(`Round bars 1–1, lap ${i + 1}`).waitFor();
      await page.waitForTimeout(150);
      await strike(page, key, 80);
    }
    await page.waitForTimeout(250);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    const takes = async () => (await readSong(on.server.address, id)).document.parts[0]!.takes.length;
    await until(async () => await takes() === 4);
    await page.keyboard.press('u');
    await until(async () => await takes() === 3);
    await page.reload();
    await state(page, 'Ready');
    await page.keyboard.press('Shift+U');
    await until(async () => await takes() === 1);
    await page.keyboard.press('y');
    await page.keyboard.press('y');
    await page.keyboard.press('y');
    await until(async () => await takes() === 4);
    await context.close();
  });
});

describe('a note that is waited for', () => {
  it.each([['My first note is the start', 'start'], ['Join the count', 'join']])('%s', async (button, way) => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 120 }], bars: 8 });
    const { page, context } = await openPlay(id);
    await page.locator('[data-control=count]').click();
    await page.getByRole('button', { name: button }).click();
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    await state(page, 'Waiting for your first note');
    await page.waitForTimeout(3300);
    await strike(page, 64, 100);
    await state(page, 'Recording');
    await strike(page, 65, 100);
    await page.waitForTimeout(900);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    const song = await until(async () => { const found = await readSong(on.server.address, id); return found.document.parts[0]!.takes.length === 1 && found; });
    const line = lineOf(song);
    expect(line.map((n) => n.key)).toEqual([64, 65]);
    if (way === 'start') expect(Math.abs(line[0]!.from)).toBeLessThan(0.001);
    // 3.3 s and the time the page takes into a count of two-second bars: somewhere in the first bar, not at its start.
    else expect(line[0]!.from).toBeGreaterThan(0.2);
    expect(line[0]!.from).toBeLessThan(4);
    await context.close();
  });
});

describe('in and out', () => {
  it('takes in a note just ahead of the start, and lets it sound from there', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 60 }], bars: 2 });
    const { page, context } = await openPlay(id);
    await page.locator('[data-control=count]').click();
    await page.getByRole('button', { name: '2 beats' }).click();
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    // A strike stamped a tenth of a second before the recording is seen to begin.
    await page.evaluate(`new Promise((done) => {
      const look = () => {
        if (!/Recording/.test(document.querySelector('.footplate .state').textContent)) return requestAnimationFrame(look);
        midiSend([0x90, 72, 90], performance.now() - 140);
        setTimeout(() => { midiSend([0x80, 72, 64]); done(); }, 600);
      };
      look();
    })`);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    const song = await until(async () => { const found = await readSong(on.server.address, id); return found.document.parts[0]!.takes.length === 1 && found; });
    expect(lineOf(song)).toMatchObject([{ key: 72, from: 0 }]);
    const at = song.layers[0]!.events.find((e) => e.message.type === 'noteOn')!.at;
    expect(at).toBeLessThan(0);
    expect(at).toBeGreaterThan(-0.25);
    await context.close();
  });

  it('is punched by a pedal that was taught to, which is never recorded, and has the note that was struck with it', async () => {
    const id = await addPlayedSong(on.server.address, 12, 120);
    const { page, context } = await openPlay(id);
    await page.goto(`/songs/${id}/line-check?page=Hands-free`);
    await page.getByRole('button', { name: 'Teach Record' }).click();
    await page.evaluate('midiSend([0xb0, 67, 127]); midiSend([0xb0, 67, 0])');
    await page.getByText('the soft pedal on Stage keyboard').waitFor();
    await page.getByRole('link', { name: 'Play', exact: true }).click();
    await state(page, 'Ready');
    await page.keyboard.press(' ');
    await state(page, 'Playing');
    await page.getByText('from where you press Record to the end').waitFor();
    await page.waitForTimeout(900);
    await page.evaluate('midiSend([0x90, 72, 90], performance.now() - 40); midiSend([0xb0, 67, 127])');
    await state(page, 'Recording');
    await page.evaluate('midiSend([0xb0, 67, 0])');
    await page.waitForTimeout(600);
    await page.evaluate('midiSend([0x80, 72, 64])');
    await page.waitForTimeout(200);
    await page.evaluate('midiSend([0xb0, 67, 127]); midiSend([0xb0, 67, 0])');
    await state(page, 'Playing');
    await page.waitForTimeout(700);
    await page.keyboard.press(' ');
    const song = await until(async () => { const found = await readSong(on.server.address, id); return found.document.parts[0]!.takes.length === 2 && found; });
    const [, punched] = song.document.parts[0]!.takes;
    const [mine] = lineOf(song).filter((n) => n.key === 72);
    expect(mine!.from).toBe(punched!.from / 960);
    expect(mine!.to - mine!.from).toBeGreaterThan(1);
    expect(song.layers[1]!.events.some((e) => e.message.type === 'control')).toBe(false);
    await context.close();
  });

  it('is set by dragging, by an edge, by a section’s name, by keys while it plays, and typed; nonsense is refused', async () => {
    const id = await addSong(on.server.address, { bars: 16, sections: [{ id: 'a', name: 'Verse', bars: 8, pattern: null }, { id: 'b', name: 'Bridge', bars: 8, pattern: null }] });
    const { page, context } = await openPlay(id);
    const brief = page.getByRole('region', { name: 'The brief' });
    const says = (words: string) => brief.getByRole('button', { name: `What is recorded: ${words}` }).waitFor();
    const chart = (await page.getByRole('application').boundingBox())!;
    const cell = Math.floor((chart.width - 2 - 92 - 12) / 8);
    const at = (bar: number, share = 0.5): [number, number] => [chart.x + 1 + 92 + ((bar - 1) % 8 + share) * cell, chart.y + 40 + Math.floor((bar - 1) / 8) * 74];
    const drag = async (a: [number, number], b: [number, number]) => { await page.mouse.move(...a); await page.mouse.down(); await page.mouse.move((a[0] + b[0]) / 2, b[1]); await page.mouse.move(...b); await page.mouse.up(); };
    await drag(at(2), at(4));
    await says('bars 2–4');
    await drag(at(5, 0), at(7, 0));
    await says('bars 2–6');
    await page.keyboard.down('Shift');
    await page.mouse.click(...at(8));
    await page.keyboard.up('Shift');
    await says('bars 2–8');
    await page.locator('[data-control=where]').click();
    await page.getByRole('button', { name: 'beats', exact: true }).click();
    await page.keyboard.press('Escape');
    await drag(at(2, 0.26), at(3, 0.52));
    await says('2 · 2 to 3 · 3');
    await page.locator('[data-control=where]').click();
    await page.getByRole('button', { name: 'bars', exact: true }).click();
    await page.keyboard.press('Escape');
    await page.mouse.click(chart.x + 30, at(9)[1]);
    await says('bars 9–16');
    await page.mouse.move(...at(3));
    await page.keyboard.down('Alt');
    await page.mouse.click(...at(7));
    await page.keyboard.up('Alt');
    await brief.getByText('lead in with').waitFor();
    await brief.getByRole('button', { name: 'Lead-in: 2 bars' }).waitFor();
    await page.keyboard.press('e');
    await brief.getByText('lead in with').waitFor({ state: 'detached' });
    await page.keyboard.press('n');
    await says('from bar 1 to the end');
    await page.locator('[data-control=where]').click();
    await page.getByRole('textbox', { name: 'From bar' }).fill('three');
    await page.getByRole('textbox', { name: 'From bar' }).press('Tab');
    await page.getByText('“three” is not a place in this song').waitFor();
    await page.getByRole('textbox', { name: 'From bar' }).fill('3.3');
    await page.getByRole('textbox', { name: 'From bar' }).press('Tab');
    await says('from 3 · 3 to the end');
    await page.keyboard.press('Escape');
    await page.keyboard.press('Home');
    await page.keyboard.press(' ');
    await state(page, 'Playing');
    await page.keyboard.press('i');
    await page.keyboard.press('o');
    await page.keyboard.press(' ');
    await state(page, 'Ready');
    await says('bar 1');
    await context.close();
  });
});

describe('the hands', () => {
  it('go again: what was played stays, and the same pass begins', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: BPM }], bars: 8 });
    const { page, context } = await openPlay(id);
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await strike(page, 60);
    await page.keyboard.press('g');
    await footplate(page).getByText(/Counting off/).waitFor();
    await state(page, 'Recording');
    await strike(page, 62);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    const song = await until(async () => { const found = await readSong(on.server.address, id); return found.document.parts[0]!.takes.length === 2 && found; });
    expect(song.document.parts[0]!.takes.map((t) => t.from)).toEqual([0, 0]);
    // The take before, and back.
    await page.keyboard.press(',');
    await until(async () => lineOf(await readSong(on.server.address, id)).some((n) => n.key === 60));
    await page.keyboard.press('.');
    await until(async () => lineOf(await readSong(on.server.address, id)).some((n) => n.key === 62));
    await context.close();
  });

  it('move a control while the song plays: the recorded one is set aside until it is let resume', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: BPM }], bars: 8 });
    const { page, context } = await openPlay(id);
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.evaluate('midiSend([0xb0, 1, 40]); midiSend([0x90, 60, 90])');
    await page.waitForTimeout(200);
    await page.evaluate('midiSend([0xb0, 1, 90]); midiSend([0x80, 60, 0])');
    await page.keyboard.press('r');
    await state(page, 'Ready');
    await page.keyboard.press(' ');
    await state(page, 'Playing');
    await page.evaluate('midiSend([0xb0, 1, 10])');
    await page.getByText('The modulation wheel of Piano: yours is heard, the recorded one is set aside.').waitFor();
    await page.getByRole('button', { name: 'Resume' }).click();
    await page.getByText('is set aside').waitFor({ state: 'detached' });
    await context.close();
  });

  it('ride one controller over a take, and leave its notes alone', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context } = await openPlay(id);
    await page.locator('[data-control=mode]').click();
    await page.getByLabel('The controller to ride').selectOption('control 1');
    await page.keyboard.press('Escape');
    await page.getByText('ride the modulation wheel').waitFor();
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.evaluate('midiSend([0xb0, 1, 70]); midiSend([0x90, 90, 90]); midiSend([0x80, 90, 0]); midiSend([0xb0, 11, 20])');
    await page.waitForTimeout(300);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    const song = await until(async () => { const found = await readSong(on.server.address, id); return found.document.parts[0]!.takes[0]!.layers.length === 2 && found; });
    expect(song.layers[1]!.closing!.clears).toMatchObject([{ lane: 'control 1' }]);
    expect(lineOf(song).every((n) => n.key === OLD)).toBe(true);
    expect(song.layers[1]!.events).toHaveLength(4);
    await context.close();
  });

  it('play another part from the moment it hears the keys', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 120 }], bars: 8, parts: [newPart({ id: 'piano', name: 'Piano' }, 0), newPart({ id: 'organ', name: 'Organ' }, 1)] });
    const { page, context } = await openPlay(id);
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await strike(page, 60);
    await page.getByRole('button', { name: 'let it hear' }).click();
    await strike(page, 64);
    await page.keyboard.press('r');
    await state(page, 'Ready');
    const song = await until(async () => { const found = await readSong(on.server.address, id); return found.document.parts.every((p) => p.takes.length === 1) && found; });
    expect([0, 1].map((i) => lineOf(song, i).map((n) => n.key))).toEqual([[60], [64]]);
    await context.close();
  });

  it('keep a way of recording by name, and go back to a plain new take with one key', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await openPlay(id);
    await page.locator('[data-control=mode]').click();
    await page.getByRole('button', { name: 'Replace while I play' }).click();
    await page.keyboard.press('Escape');
    await page.getByRole('button', { name: 'Presets' }).click();
    await page.getByLabel('Keep the brief as').fill('Patching');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'Patching', exact: true }).waitFor();
    await page.keyboard.press('Escape');
    await page.keyboard.press('n');
    await page.locator('[data-control=mode]', { hasText: 'record a new take' }).waitFor();
    await page.reload();
    await state(page, 'Ready');
    await page.getByRole('button', { name: 'Presets' }).click();
    await page.getByRole('button', { name: 'Patching', exact: true }).click();
    await page.locator('[data-control=mode]', { hasText: 'replace, only while I play,' }).waitFor();
    await context.close();
  });
});
