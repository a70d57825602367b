import { request } from 'node:http';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { mapsOf } from '../core/document/maps';
import { readTakeOf } from '../core/reading/reading';
import { secondsAt, tempoMap } from '../core/time/tempo';
import type { Layer } from '../core/takes/layer';
import { openTimed } from '../harness/clock/time';
import { footplate, open, pressRecord, choose } from '../harness/browser';
import { midiFile, steadyBeats, textFile, wavOfBeats, wavOfChords, type SentFile } from '../harness/files';
import { addSong, readSong, startServer, until } from '../harness/server';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';

const on = trial();

const stored = () => {
  const folder = join(on.server.folder, 'audio');
  return existsSync(folder) ? readdirSync(folder).filter((n) => !n.endsWith('.peaks')) : [];
};
const setUp = (id: string) => open(on.browser, on.server.address, `/songs/${id}/set-up`);
const bringIn = (page: Page, files: SentFile[]) =>
  page.locator('.backings input[type=file]').setInputFiles(files.map((f) => ({ ...f })));
const kept = <T>(id: string, what: (song: OpenedSong) => T | false | undefined) =>
  until(async () => what(await readSong(on.server.address, id)));
const seconds = (song: OpenedSong, which = 0) => {
  const layers = new Map(
    song.layers.flatMap((l): [string, Layer][] => (l.closing ? [[l.header.id, { ...l, closing: l.closing }]] : [])),
  );
  const { document } = song;
  return readTakeOf(document.parts[0]!.takes[which]!, layers, document.clocks).notes.map((n) => ({
    tick: n.start,
    at: secondsAt(tempoMap(document.tempo), n.start),
    key: n.key,
  }));
};

describe('a client’s files', () => {
  it('become a song: sound as backings, MIDI as form and tracks, text as notes; what is broken stays out', async () => {
    const { page, context, outside, errors } = await open(on.browser, on.server.address);
    await page.getByRole('button', { name: 'Take on a job' }).click();
    await page.getByLabel('Title').fill('Marsh Light');
    await page.getByRole('button', { name: 'Take it on' }).click();
    await page.getByText('No songs here.').waitFor();
    const before = stored().length;
    const mix = wavOfBeats('Reed Lane mix.wav', steadyBeats(100, 20), 13);
    const cut = { ...mix, name: 'Half.wav', buffer: mix.buffer.subarray(0, mix.buffer.length / 2) };
    await page
      .locator('.job input[type=file]')
      .setInputFiles([
        mix,
        midiFile('Reed Lane.mid'),
        textFile('form.txt', 'Opening in three, then the refrain twice.'),
        { name: 'Web page.wav', mimeType: 'audio/wav', buffer: Buffer.from('<html>gone</html>') },
        cut,
        { name: 'Nothing.mp3', mimeType: 'audio/mpeg', buffer: Buffer.alloc(0) },
        wavOfBeats('Silent.wav', [], 2),
        { ...mix, name: 'The mix again.wav' },
      ]);
    await page.waitForURL(/set-up$/);
    await page.getByText(/^Silent.wav: The file is silent/).waitFor({ timeout: 30_000 });
    // Only the last three notices are shown at a time; the page's record has all.
    await page.getByText('Reed Lane', { exact: true }).last().waitFor();
    await page.getByText('2 tempos from 90 bpm, 3/4').waitFor();
    await page.getByRole('button', { name: 'Take it' }).click();
    const id = /songs\/(.+)\/set-up/.exec(page.url())![1]!;
    const song = await kept(id, (s) => s.document.backings.length === 4 && s.document.sections.length === 2 && s);
    const { document } = song;
    expect(document.backings.map((b) => b.name).sort()).toEqual(['Bass', 'Reed Lane mix', 'Sticks', 'The mix again']);
    expect(document.backings.find((b) => b.name === 'Sticks')!.midi).toMatchObject({ drums: true });
    expect(document.tempo.map((t) => [t.tick, Math.round(t.bpm)])).toEqual([
      [0, 90],
      [11_520, 120],
    ]);
    expect(document.meter.map((m) => `${m.bar}: ${m.beats}/${m.unit}`)).toEqual(['1: 3/4', '5: 4/4']);
    expect(document.sections.map((s) => [s.name, s.bars])).toEqual([
      ['Opening', 4],
      ['Refrain', 8],
    ]);
    expect(document.notes).toContain('refrain twice');
    // The mix came twice and is stored once, beside the MIDI file.
    expect(stored().length - before).toBe(2);
    expect(stored().some((n) => n.startsWith('.'))).toBe(false);
    // Sound and MIDI alike show their level.
    const shows = ['Reed Lane mix', 'Bass'].map((name) =>
      page.waitForFunction(
        (label) =>
          globalThis.document.querySelector(`[aria-label^="Level of ${label}"] i`)!.getBoundingClientRect().width > 20,
        name,
      ),
    );
    await page.keyboard.press(' ');
    await Promise.all(shows);
    await page.keyboard.press(' ');
    expect(errors).toEqual([]);
    expect(outside).toEqual([]);
    await context.close();
  });

  it('say what is wrong with them, and a drop on the page does what the button does', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await setUp(id);
    const broken = { ...wavOfBeats('Short.wav', [0], 2) };
    await bringIn(page, [{ ...broken, buffer: broken.buffer.subarray(0, 2000) }]);
    await page
      .getByText(
        /Short.wav: The WAV file is cut short: 1% of its sound is there. It stays out, and nothing of it was kept./,
      )
      .waitFor();
    const noChannels = Buffer.from(broken.buffer);
    noChannels.writeUInt16LE(0, 22);
    await bringIn(page, [{ ...broken, name: 'Hollow.wav', buffer: noChannels }]);
    await page.getByText(/Hollow.wav: The file says it has no channels/).waitFor();
    await bringIn(page, [
      { name: 'Fake.mp3', mimeType: 'audio/mpeg', buffer: Buffer.concat([Buffer.from('ID3'), Buffer.alloc(5000, 7)]) },
    ]);
    await page.getByText(/Fake.mp3: The browser cannot decode this file/).waitFor();
    const film = midiFile('Film.mid');
    film.buffer[12] = 0xe8;
    await bringIn(page, [film]);
    await page.getByText(/Film.mid: The MIDI file counts film frames/).waitFor();
    const bytes = [...wavOfBeats('x', steadyBeats(120, 4), 3).buffer];
    await page.evaluate(`{
      const transfer = new DataTransfer();
      transfer.items.add(new File([Uint8Array.from(${JSON.stringify(bytes)})], 'Dropped.wav'));
      const drop = new DragEvent('drop', { bubbles: true, cancelable: true, dataTransfer: transfer });
      document.querySelector('.backings').dispatchEvent(drop);
    }`);
    const { document } = await kept(id, (s) => s.document.backings.length === 1 && s);
    expect(document.backings[0]!.name).toBe('Dropped');
    await context.close();
  });

  it('leave nothing behind when the connection breaks in the middle', async () => {
    const before = stored().length;
    const { port } = new URL(on.server.address);
    await new Promise<void>((done) => {
      const upload = request({
        host: '127.0.0.1',
        port,
        path: '/api/audio',
        method: 'POST',
        headers: { 'content-length': 1_000_000 },
      });
      upload.on('error', () => done());
      upload.write(wavOfBeats('x', [0], 2).buffer.subarray(0, 40_000));
      setTimeout(() => upload.destroy(), 300);
      upload.on('close', () => done());
    });
    await until(async () => !stored().some((n) => n.startsWith('.')));
    expect(stored().length).toBe(before);
  });
});

describe('a backing without a click', () => {
  it('is listened to with progress, and not any more once that is stopped', async () => {
    const beats = Array.from({ length: 600 }, (_, i) => 0.4 + i * 0.5);
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/set-up`);
    await bringIn(page, [wavOfBeats('Long.wav', beats, 302, { rate: 22_050, channels: 1 })]);
    const find = page.getByRole('button', { name: 'Find the beats' });
    await find.click();
    await page.getByRole('progressbar', { name: 'How far the beats are' }).waitFor();
    await page.getByRole('button', { name: 'Stop', exact: true }).click();
    await page.getByText(/^Listening: /).waitFor({ state: 'detached' });
    expect(await page.getByText(/^\d+ beats, /).count()).toBe(0);
    // A second press starts the analysis again.
    await find.click();
    await page.getByText('600 beats, a steady 120 bpm.').waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('has its tuning found, and the instruments follow it; typed, it is taken as well', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/set-up`);
    await bringIn(page, [wavOfChords('Master.wav', 20, 12)]);
    const panel = page.getByRole('region', { name: 'Tuning' });
    await panel.getByRole('button', { name: 'Find it in Master' }).click();
    await panel.getByText(/^Master is (19\.[89]|20|20\.[12]) cents sharp, quite sure\.$/).waitFor();
    await panel.getByRole('button', { name: 'Tune to it' }).click();
    await panel.getByText('The instruments are tuned to it.').waitFor();
    await panel.getByLabel('Frequency of A in Hz').fill('442');
    await page.keyboard.press('Enter');
    await expect.poll(() => panel.getByLabel('Tuning in cents against 440 Hz').inputValue()).toBe('7.9');
    // A semitone and more is another key, and no tuning.
    await panel.getByLabel('Tuning in cents against 440 Hz').fill('900');
    await page.keyboard.press('Enter');
    await page.getByRole('link', { name: 'Play', exact: true }).click();
    const brief = page.getByRole('region', { name: 'The brief' });
    await brief.getByText('Tall Kettle at A 442 Hz').waitFor();
    expect((await kept(id, (s) => s.document.tuning !== 0 && s)).document.tuning).toBe(7.9);
    await page.keyboard.press('Shift+Digit2');
    await page.getByText('Loaded, tuned to A 442 Hz, 7.9 cents sharp.').waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is heard at the tempo that the client’s text tells, or that is typed', async () => {
    const beats = Array.from({ length: 80 }, (_, i) => 0.4 + i * 0.5);
    const id = await addSong(on.server.address, { bars: 8, notes: 'Slow and warm, 60 bpm. Brushes, please.' });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/set-up`);
    await bringIn(page, [wavOfBeats('Band.wav', beats, 42)]);
    await page.getByRole('button', { name: 'Find the beats' }).click();
    await page.getByText(/^\d\d beats, a steady 60 bpm\.$/).waitFor();
    await page.getByText('Its tempo, as the client’s text has it').waitFor();
    const type = async (bpm: string) => {
      await page.getByLabel('Its tempo in bpm').fill(bpm);
      await page.keyboard.press('Enter');
    };
    await type('120');
    await page.getByText('80 beats, a steady 120 bpm.').waitFor();
    await page.getByText('Its tempo, if you know it').waitFor();
    await type('97');
    await page.getByText('No beats of 97 bpm are in it. What is shown was heard without it.').waitFor();
    await type('');
    await page.getByText(/^No beats of/).waitFor({ state: 'detached' });
    expect(errors).toEqual([]);
    await context.close();
  });

  it('gives the song its tempo: the bars are where the music’s bars are', async () => {
    // Players whose tempo varies by two percent, after a second of room noise.
    const beats: number[] = [1.2];
    for (let i = 0; i < 63; i += 1) beats.push(beats.at(-1)! + 0.6 * (1 + 0.02 * Math.sin(i / 7)));
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/set-up`);
    await bringIn(page, [wavOfBeats('Band.wav', beats, 42)]);
    await page.getByRole('button', { name: 'Find the beats' }).click();
    await page.getByText(/^64 beats, /).waitFor();

    // A dragged beat is pinned, and the others follow.
    const wave = page.getByRole('application', { name: /Band/ });
    const box = (await wave.boundingBox())!;
    const scale = (box.width - 2 - 54 - 12) / 12;
    const x = box.x + 1 + 54 + beats[4]! * scale;
    await page.mouse.move(x, box.y + 40);
    await page.mouse.down();
    await page.mouse.move(x + 8, box.y + 40, { steps: 4 });
    await page.mouse.up();
    await page.getByRole('button', { name: /Clear 1 pin/ }).click();
    await page.getByRole('button', { name: /^Clear \d+ pin/ }).waitFor({ state: 'detached' });
    // Tapping along while it plays works like pins.
    await time.roll(() => page.keyboard.press(' '));
    for (let i = 0; i < 5; i += 1) {
      await page.keyboard.press('t');
      await time.move(590);
    }
    await page.keyboard.press(' ');
    await time.free();
    await page.getByRole('button', { name: /Clear 0 pins and 1 tap/ }).click();
    await page.getByRole('button', { name: /^Clear \d+ pin/ }).waitFor({ state: 'detached' });
    await page.keyboard.press('Home');
    await page.getByRole('button', { name: 'One a beat later' }).click();
    await page.getByRole('button', { name: 'One a beat earlier' }).click();
    await page.getByText(/^64 beats, /).waitFor();
    await page.getByRole('button', { name: 'One a beat earlier', disabled: false }).waitFor();

    await page.getByRole('button', { name: 'Let the song follow it' }).click();
    const { document } = await kept(id, (s) => s.document.tempo.length > 2 && s);
    const maps = mapsOf(document);
    const [band] = document.backings;
    const off = beats.map((at, i) => Math.abs(secondsAt(maps.tempo, i * 960) - (at + band!.offset)) * 1000);
    expect(Math.max(...off)).toBeLessThan(25);
    expect([...off].sort((a, b) => a - b)[32]).toBeLessThan(10);
    expect(document.bars).toBe(16);
    // A single undo restores the old tempo and place.
    await page.keyboard.press('u');
    const back = await kept(id, (s) => s.document.tempo.length === 1 && s);
    expect(back.document.backings[0]!.offset).toBe(0);
    await context.close();
  });
});

describe('another tempo under takes', () => {
  it('asks once, and they follow the bars or stay with the recording; undo brings each back', async () => {
    const id = await addSong(on.server.address, { bars: 4, tempo: [{ tick: 0, bpm: 200 }] });
    const played = await openTimed(on.browser, on.server.address, `/songs/${id}/play`);
    await played.time.roll(() => pressRecord(played.page));
    for (const [i, at] of [0.02, 0.33, 0.61, 1.4, 2.2, 3.1].entries()) await played.time.press(60 + i, at, at + 0.2);
    await played.time.state('Recording');
    await played.time.state('Ready');
    await played.time.free();
    const before = seconds(
      await kept(id, (s) => s.document.parts[0]!.takes.length === 1 && s.layers[0]!.closing !== null && s),
    );
    await played.context.close();
    const { page, context } = await setUp(id);
    const slower = async (way: string) => {
      await page.getByRole('tab', { name: 'Tempo and meter' }).click();
      await page.getByLabel('Tempo from 1·1').fill('120');
      await page.keyboard.press('Tab');
      await page.getByRole('button', { name: way }).click();
      return kept(id, (s) => s.document.tempo[0]!.bpm === 120 && s);
    };
    const follow = seconds(await slower('Follow the bars'));
    expect(follow.map((n) => n.tick)).toEqual(before.map((n) => n.tick));
    await page.keyboard.press('u');
    await kept(id, (s) => s.document.tempo[0]!.bpm === 200 && s);
    const stay = seconds(await slower('Stay with the recording'));
    stay.forEach((n, i) => expect(n.at).toBeCloseTo(before[i]!.at, 6));
    expect(stay[5]!.tick).not.toBeCloseTo(before[5]!.tick, 0);
    await page.keyboard.press('u');
    expect(seconds(await kept(id, (s) => s.document.tempo[0]!.bpm === 200 && s))).toEqual(before);
    await context.close();
  });
});

describe('practice speed', () => {
  it('lets a pass recorded slowly land on its bars, the backing with it', async () => {
    const id = await addSong(on.server.address, { bars: 4, tempo: [{ tick: 0, bpm: 200 }] });
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/set-up`);
    await bringIn(page, [wavOfBeats('Mix.wav', steadyBeats(200, 16), 6)]);
    await kept(id, (s) => s.document.backings.length === 1);
    await page.keyboard.press('Shift+Digit3');
    await page.getByRole('region', { name: 'The brief' }).waitFor();
    for (let i = 0; i < 5; i += 1) await page.keyboard.press('-');
    await footplate(page).getByRole('button', { name: 'Practice speed: 50%' }).waitFor();
    expect(await page.getByRole('region', { name: 'The brief' }).innerText()).toContain(
      'Count 1 bar at 50% speed, then record',
    );
    await time.roll(() => pressRecord(page));
    const began = await time.of(0);
    // Every beat of the four bars, a sixteenth long.
    for (let beat = 0; beat < 16; beat += 1) await time.press(60, beat * 0.3, beat * 0.3 + 0.075);
    await time.state('Recording');
    await time.state('Ready');
    // Four bars at 200 bpm last 4.8 s, and twice that at half speed.
    expect((await time.of(4.8)) - began).toBeCloseTo(9600, 3);
    await time.free();
    const song = await kept(id, (s) => s.document.parts[0]!.takes.length === 1 && s.layers[0]!.closing !== null && s);
    expect(song.layers[0]!.header.speed).toBe(0.5);
    expect(seconds(song).map((n) => Math.round(n.tick * 1000) / 1000)).toEqual(
      Array.from({ length: 16 }, (_, i) => i * 960),
    );
    await context.close();
  });
});

describe('sections, rhythm and click', () => {
  it('make a song from nothing: a rhythm under a section is heard with everything else silent', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context } = await setUp(id);
    await page.getByRole('tab', { name: 'Click' }).click();
    await page.getByRole('button', { name: 'Never' }).click();
    await page.getByRole('button', { name: 'Thirds' }).click();
    await page.getByRole('button', { name: 'Wood' }).click();
    await page.getByRole('tab', { name: 'Sections' }).click();
    await page.getByRole('button', { name: 'Add a section' }).click();
    await choose(page, 'Rhythm under Section 1', 'shuffle');
    await page.getByLabel('Name of Section 1').or(page.getByLabel('Name of section 1')).fill('Verse');
    await page.keyboard.press('Tab');
    await page.getByRole('button', { name: 'Duplicate Verse' }).click();
    await page.getByLabel('Bars of Verse').fill('4');
    await page.keyboard.press('Tab');
    const { document } = await kept(id, (s) => s.document.sections[1]?.bars === 4 && s);
    expect(document.click).toMatchObject({ when: 'never', subdivision: 3, sound: 'wood' });
    expect(document.sections.map((s) => [s.name, s.bars, s.pattern])).toEqual([
      ['Verse', 8, 'shuffle'],
      ['Verse', 4, 'shuffle'],
    ]);
    expect(document.bars).toBe(12);
    // A section's end is dragged half of the way back to its start.
    const end = page.locator('.strip .end').first();
    const block = (await page.locator('.strip .block').first().boundingBox())!;
    const grip = (await end.boundingBox())!;
    await page.mouse.move(grip.x + 3, grip.y + 10);
    await page.mouse.down();
    await page.mouse.move(grip.x + 3 - block.width / 2, grip.y + 10, { steps: 5 });
    await page.mouse.up();
    await kept(id, (s) => s.document.sections[0]!.bars === 4);
    // Sections are reordered by keys.
    await page.locator('.form .section').first().getByRole('button').first().click();
    await page.getByRole('button', { name: 'Move Verse down' }).press('Enter');
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    await page.keyboard.press(' ');
    const level = async () => Number(await footplate(page).getByRole('meter').getAttribute('aria-valuenow'));
    await until(async () => (await level()) > -40);
    await page.keyboard.press(' ');
    await context.close();
  });
});

describe('the backups', () => {
  it('give a song back as it was, beside what it is now, and the whole desk', async () => {
    const own = await startServer();
    const id = await addSong(own.address);
    const { page, context, errors } = await open(on.browser, own.address);
    await page.getByRole('button', { name: 'Backups and disk' }).click();
    const dialog = page.getByRole('dialog', { name: 'Backups' });
    await dialog.getByText('None yet').waitFor();
    await dialog.getByRole('button', { name: 'Back up now' }).click();
    const backups = dialog.getByRole('group', { name: 'Backups by age' }).getByRole('button');
    await backups.first().waitFor();
    const patch = await fetch(`${own.address}/api/songs/${id}`, {
      method: 'PATCH',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ title: 'Ruined' }),
    });
    expect(patch.status).toBe(200);
    // The Desk behind the dialog updates by itself.
    await page.getByText('Ruined').waitFor();
    await backups.first().click();
    await dialog.getByRole('button', { name: 'Bring back beside: Trial song' }).click();
    await page
      .getByText(/Trial song \(as of /)
      .first()
      .waitFor();
    await page.getByText('Ruined').waitFor();
    await dialog.getByRole('button', { name: 'Bring back the whole desk' }).click();
    await dialog.getByRole('button', { name: 'Yes, the whole desk as it was then' }).click();
    await page.getByText('Ruined').waitFor({ state: 'detached' });
    await until(async () => (await readSong(own.address, id)).document.title === 'Trial song');
    // The state just before is a backup, too.
    await until(async () => (await backups.count()) === 2);
    expect(errors).toEqual([]);
    await context.close();
    await own.end();
  });
});

describe('the desk', () => {
  it('renames, duplicates, puts away, deletes and brings back, all by keys, and finds what is looked for', async () => {
    const { page, context } = await open(on.browser, on.server.address);
    await page.getByRole('button', { name: 'Take on a job' }).press('Enter');
    await page.keyboard.type('Tide Tables');
    await page.keyboard.press('Enter');
    const job = page.getByRole('region', { name: 'Tide Tables', exact: true });
    await job.getByRole('button', { name: 'Add a song' }).press('Enter');
    await page.keyboard.type('Low Water');
    await page.keyboard.press('Enter');
    await page.getByRole('region', { name: 'The brief' }).waitFor();
    await page.keyboard.press('Shift+Digit1');
    const choose = async (of: string, what: string) => {
      await page.getByRole('button', { name: of }).press('Enter');
      await page
        .getByRole('listitem')
        .filter({ hasText: what })
        .or(page.locator('.v-list-item').filter({ hasText: what }))
        .first()
        .press('Enter');
    };
    await choose('More for Low Water', 'Duplicate');
    await page.getByRole('article', { name: 'Low Water 2' }).waitFor();
    await choose('More for Low Water 2', 'Title and notes');
    await page.getByLabel('Title').fill('High Water');
    await page.keyboard.press('Enter');
    await page.getByRole('article', { name: 'High Water' }).waitFor();
    await choose('More for High Water', 'Delete');
    await page.getByText('High Water was deleted. Everything in it is kept.').waitFor();
    await page.getByRole('article', { name: 'High Water' }).waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Undo', exact: true }).first().press('Enter');
    await page.getByRole('article', { name: 'High Water' }).waitFor();
    await choose('More for the job Tide Tables', 'Put away');
    await job.waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Put away', exact: true }).press('Enter');
    await job.waitFor();
    await choose('More for the job Tide Tables', 'Back on the desk');
    await page.getByRole('button', { name: 'On the desk', exact: true }).press('Enter');
    await page.getByRole('textbox', { name: 'Look for a job' }).fill('high');
    await page.getByRole('article', { name: 'High Water' }).waitFor();
    expect(await page.getByRole('article', { name: 'Low Water', exact: true }).count()).toBe(0);
    await page.getByRole('textbox', { name: 'Look for a job' }).fill('nowhere');
    await page.getByText('Nothing here has these words.').waitFor();
    await context.close();
  });
});
