import { zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { newSong } from '../core/document/document';
import { newPart } from '../core/document/part';
import { leadSheet } from '../demo/leadSheet';
import { footplate, open, settled, withKeyboard, state } from '../harness/browser';
import { midiFile, steadyBeats, textFile, wavOfBeats, type SentFile } from '../harness/files';
import { addPlayedSong } from '../harness/played';
import { addSong, readSong, startServer, until } from '../harness/server';
import { trial } from '../harness/trial';

/** Paths of a newcomer without a manual. */
const on = trial();
const openPlay = async (id: string) => {
  const opened = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
  await state(opened.page, 'Ready');
  return opened;
};
const documentOf = async (id: string) => (await readSong(on.server.address, id)).document;
/** Files dropped on an element. @returns true if the browser would have opened them */
const drop = (page: Page, selector: string, files: readonly SentFile[]): Promise<boolean> =>
  page.evaluate(`(() => {
    const transfer = new DataTransfer();
    for (const [name, bytes] of ${JSON.stringify(files.map((f) => [f.name, [...f.buffer]]))})
      transfer.items.add(new File([Uint8Array.from(bytes)], name));
    const event = new DragEvent('drop', { bubbles: true, cancelable: true, dataTransfer: transfer });
    return document.querySelector(${JSON.stringify(selector)}).dispatchEvent(event);
  })()`);

interface JobShown {
  readonly shelf: string;
  readonly songs: readonly { readonly title: string }[];
}

describe('the first minute', () => {
  it('is two presses from nothing to the count-off; what came of it is named, and lies in a job', async () => {
    const empty = await startServer();
    const { page, context, errors } = await open(on.browser, empty.address, '/', withKeyboard);
    await page.getByRole('button', { name: 'Play now' }).click();
    await state(page, 'Ready');
    await page.keyboard.press('r');
    await footplate(page)
      .getByText(/^Counting off/)
      .waitFor();
    await state(page, 'Recording');
    expect(await page.getByRole('button', { name: 'Name it' }).count()).toBe(0);
    for (const bytes of [
      [0x90, 60, 80],
      [0x80, 60, 64],
    ])
      await page.evaluate(`midiSend(${JSON.stringify(bytes)})`);
    await page.keyboard.press('r');
    await page.getByRole('button', { name: 'Name it' }).click();
    await page.getByLabel('Song title').fill('Causeway');
    await page.getByLabel('Job, new or on the Desk').fill('Marsh Light');
    await page.getByRole('button', { name: 'Keep the names' }).click();
    await page.getByText('Causeway', { exact: true }).first().waitFor();
    await page.getByRole('button', { name: 'Name it' }).waitFor({ state: 'hidden' });
    await page.getByRole('link', { name: 'Desk', exact: true }).click();
    await page
      .getByRole('region', { name: 'Marsh Light' })
      .getByRole('link', { name: /^Causeway/ })
      .waitFor();
    // A second song is added to the existing job.
    await page.getByRole('button', { name: 'Play now' }).click();
    await page.getByText('Piano is not played yet').waitFor();
    await state(page, 'Ready');
    await page.keyboard.press('r');
    await state(page, 'Recording');
    for (const bytes of [
      [0x90, 62, 80],
      [0x80, 62, 64],
    ])
      await page.evaluate(`midiSend(${JSON.stringify(bytes)})`);
    await page.keyboard.press('r');
    await page.getByRole('button', { name: 'Name it' }).click();
    await page.getByLabel('Song title').fill('Low water');
    await page.getByLabel('Job, new or on the Desk').fill('Marsh Light');
    await page.getByRole('button', { name: 'Keep the names' }).click();
    await page.getByText('Low water', { exact: true }).first().waitFor();
    // A missing job receives nothing, and the rest of the request is not carried out.
    const song = `${empty.address}/api/songs/${/songs\/([^/]+)/.exec(page.url())![1]}`;
    const headers = { 'content-type': 'application/json' };
    const body = JSON.stringify({ title: 'High water', jobId: 'gone', shelf: 'away' });
    expect((await fetch(song, { method: 'PATCH', headers, body })).status).toBe(404);
    await until(async () => {
      const jobs = (await (await fetch(`${empty.address}/api/jobs`)).json()) as JobShown[];
      const onDesk = jobs.filter((j) => j.shelf === 'desk').map((j) => j.songs.map((song) => song.title).join(', '));
      return onDesk.length === 1 && onDesk[0] === 'Causeway, Low water';
    });
    expect(errors).toEqual([]);
    await context.close();
    await empty.end();
  });
});

describe('a popup', () => {
  it('has the keys: letters mean what they mean on the page, and what rolls closes it', async () => {
    const { page, context, errors } = await openPlay(await addPlayedSong(on.server.address, 4, 240));
    await page.locator('[data-control=mode]').click();
    await page.getByRole('button', { name: 'Merge', exact: true }).click();
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.getByRole('dialog').waitFor({ state: 'hidden' });
    await page.keyboard.press('r');
    await state(page, 'Ready');
    expect(errors).toEqual([]);
    await context.close();
  });

  it('finishes a field by Enter, and lets go of what was typed by one Escape', async () => {
    const id = await addSong(on.server.address, { bars: 16 });
    const { page, context } = await openPlay(id);
    await page.getByRole('button', { name: /^Piano: name, colour/ }).click();
    await page.getByLabel('Name of Piano').fill('Upright');
    await page.keyboard.press('Enter');
    await until(async () => (await documentOf(id)).parts[0]!.name === 'Upright');
    await page.keyboard.press('Escape');
    await page.getByRole('dialog').waitFor({ state: 'hidden' });
    const where = page.locator('[data-control=where]');
    await where.click();
    await page.getByRole('textbox', { name: 'From bar' }).fill('7');
    await page.keyboard.press('Escape');
    await page.getByRole('dialog').waitFor({ state: 'hidden' });
    await where.click();
    expect(await page.getByRole('textbox', { name: 'From bar' }).inputValue()).toBe('');
    await page.getByRole('textbox', { name: 'From bar' }).fill('9');
    await page.keyboard.press('Enter');
    await page.getByRole('textbox', { name: 'To the end of bar' }).fill('10');
    await page.keyboard.press('Enter');
    // Enter presses a button as well.
    await page.getByRole('button', { name: 'beats', exact: true }).focus();
    await page.keyboard.press('Enter');
    await page.keyboard.press('Escape');
    const { brief } = await until(async () => {
      const found = await documentOf(id);
      return found.brief.snap === 'beat' && found;
    });
    expect([brief.range, brief.punchIn, brief.punchOut]).toEqual([{ from: 8 * 3840, to: 10 * 3840 }, true, true]);
    await context.close();
  });
});

describe('what is said', () => {
  it('of where a pass ends is the same in the brief and on the footplate, also where it is punched in', async () => {
    const bars = { range: { from: 2 * 3840, to: 4 * 3840 }, punchIn: true, punchOut: true };
    const id = await addPlayedSong(on.server.address, 12, 200, { brief: { ...newSong('', 'piano').brief, ...bars } });
    const { page, context } = await openPlay(id);
    await page.keyboard.press(' ');
    await page.getByText('from where you press Record to the end of bar 4').waitFor();
    await page.keyboard.press('r');
    await footplate(page).getByText('Until the end of bar 4, or Stop').waitFor();
    await page.keyboard.press(' ');
    await state(page, 'Ready');
    await context.close();
  });

  it('counts one as one', async () => {
    const { page, context } = await openPlay(await addSong(on.server.address));
    await page.evaluate('midiSend([0x90, 60, 80]); midiSend([0x80, 60, 64])');
    await page.locator('[data-hint^="Keep 1 note played"]').waitFor();
    await context.close();
  });

  it('of a lead-in that has no length: E gives it a bar', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await openPlay(id);
    await page.keyboard.press('e');
    const { brief } = await until(async () => {
      const found = await documentOf(id);
      return found.brief.leadIn.count > 0 && found;
    });
    expect([brief.leadIn, brief.leadInOn]).toEqual([{ count: 1, unit: 'bars' }, true]);
    await context.close();
  });
});

describe('room', () => {
  it('is for 64 parts, all of which are heard; that there is no more is said before it is asked for', async () => {
    const parts = Array.from({ length: 63 }, (_, i) => newPart({ id: `part-${i}`, name: `Part ${i + 1}` }, i));
    const id = await addSong(on.server.address, { parts });
    const { page, context, errors } = await openPlay(id);
    await page.getByRole('button', { name: 'Add a part' }).click();
    await page.getByText('63 of at most 64 parts.').waitFor();
    await page.getByLabel('Name', { exact: true }).fill('The last one');
    await page.keyboard.press('Enter');
    await until(async () => (await documentOf(id)).parts.length === 64);
    await page.getByRole('button', { name: 'Add a part' }).click();
    await page.getByText('64 of at most 64 parts.').waitFor();
    expect(await page.getByRole('button', { name: 'Add it' }).isDisabled()).toBe(true);
    await page.keyboard.press('Escape');
    // The latest added part can be armed, and sounds.
    await page.locator('.part', { hasText: 'The last one' }).getByRole('button', { name: 'arm', exact: true }).click();
    await page.evaluate('midiSend([0x90, 60, 127])');
    await footplate(page)
      .getByText(/−\d+\.\d dBFS/)
      .waitFor();
    await page.evaluate('midiSend([0x80, 60, 64])');
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is in the page, however long a title is', async () => {
    const id = await addSong(on.server.address, { title: 'Reed Lane '.repeat(12).trim() });
    const { page, context } = await openPlay(id);
    for (const station of ['', `songs/${id}/play`, `songs/${id}/pick`, `songs/${id}/tidy`, `songs/${id}/hand-over`]) {
      await page.goto(`${on.server.address}/${station}`);
      await page.locator('main h1').waitFor();
      await settled(page);
      const [wide, inside] = (await page.evaluate(
        '[document.documentElement.scrollWidth, document.documentElement.clientWidth]',
      )) as [number, number];
      expect(wide, station).toBeLessThanOrEqual(inside);
    }
    await context.close();
  });
});

describe('a client’s zip', () => {
  it('starts a song from what is in it; files of no use make none', async () => {
    const { page, context, errors } = await open(on.browser, on.server.address);
    await page.getByRole('button', { name: 'Take on a job' }).click();
    await page.getByLabel('Title').fill('Zipped');
    await page.getByRole('button', { name: 'Take it on' }).click();
    const job = page.locator('.job', { hasText: 'Zipped' });
    await job.getByText('No songs here.').waitFor();
    const paper: SentFile = {
      name: 'Score.pdf',
      mimeType: 'application/pdf',
      buffer: Buffer.from('%PDF-1.7 no music'),
    };
    await job.locator('input[type=file]').setInputFiles([paper]);
    await page.getByText(/Score.pdf: The PDF is damaged or cut short.*No song was made/).waitFor();
    await job.getByText('No songs here.').waitFor();
    const files = [
      wavOfBeats('Reed Lane mix.wav', steadyBeats(100, 8), 5),
      midiFile('Reed Lane.mid'),
      textFile('form.txt', 'The refrain twice.'),
      paper,
      { ...paper, name: 'Sheet.pdf', buffer: Buffer.from((await leadSheet({ title: 'Reed Lane', bars: 8 })).bytes) },
    ];
    const buffer = Buffer.from(zipSync(Object.fromEntries(files.map((f) => [`Reed Lane/${f.name}`, f.buffer]))));
    const zip = { name: 'Reed Lane.zip', mimeType: 'application/zip', buffer };
    await job.locator('input[type=file]').setInputFiles([zip]);
    await page.waitForURL(/set-up$/);
    const id = /songs\/([^/]+)/.exec(page.url())![1]!;
    await page.getByText(/Score.pdf: The PDF is damaged or cut short.*nothing of it was kept/).waitFor();
    const { backings, notes, sheet } = await until(async () => {
      const found = await documentOf(id);
      return found.backings.length > 0 && found.notes !== '' && found.sheet.pages.length > 0 && found;
    });
    expect(sheet.pages).toHaveLength(1);
    expect([backings[0]!.name, notes]).toEqual(['Reed Lane mix', 'The refrain twice.']);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('that is dropped where nothing takes it leaves the page where it is, and says who does', async () => {
    const { page, context } = await openPlay(await addSong(on.server.address));
    expect(await drop(page, '.footplate', [textFile('form.txt', 'x')])).toBe(false);
    await page.getByText(/Files are taken on the Desk/).waitFor();
    await context.close();
  });
});

describe('two windows', () => {
  it('do not record the same keys twice: the other says who does, until that one ends or is gone', async () => {
    const id = await addPlayedSong(on.server.address, 64, 60);
    const { page: first, context, errors } = await openPlay(id);
    const second = await context.newPage();
    await second.goto(`/songs/${await addPlayedSong(on.server.address, 4, 240)}/play`);
    await state(second, 'Ready');
    await first.keyboard.press('r');
    await state(first, 'Recording');
    await footplate(second).getByText('Another window records “Trial song”').waitFor();
    await second.keyboard.press('r');
    await second.getByText(/Another window records “Trial song”, and hears the same keys/).waitFor();
    await first.keyboard.press('r');
    await state(first, 'Ready');
    await state(second, 'Ready');
    await second.keyboard.press('r');
    await state(second, 'Recording');
    await footplate(first).getByText('Another window records “Trial song”').waitFor();
    await second.close();
    await state(first, 'Ready');
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('another song', () => {
  it('that is opened in mid-pass ends it, says that it is kept, and goes back by one press', async () => {
    const id = await addSong(on.server.address, { title: 'Reed Lane', bars: 64 });
    const other = await addSong(on.server.address, { title: 'Tern Island' });
    const { page, context } = await openPlay(id);
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.evaluate('midiSend([0x90, 60, 80])');
    await page.keyboard.press('Shift+Digit1');
    await page.locator(`a[href="/songs/${other}/play"]`).click();
    await page.getByText('The pass in Reed Lane ended when you left; what was played is kept there.').waitFor();
    await page.getByRole('button', { name: 'Back to Reed Lane' }).click();
    await page.getByRole('heading', { name: 'Play: Reed Lane' }).waitFor();
    await until(async () => (await documentOf(id)).parts[0]!.takes.length === 1);
    await context.close();
  });
});

describe('what is asked for with one move', () => {
  it('is there by a key: click, speed, sections, parts', async () => {
    const parts = ['Piano', 'Organ', 'Strings'].map((name, i) => newPart({ id: `part-${i}`, name }, i));
    const sections = [
      { id: 'a', bars: 4, name: 'Verse', pattern: null },
      { id: 'b', bars: 4, name: 'Chorus', pattern: null },
    ];
    const plain = newSong('', 'part-0');
    const over = { parts, sections, bars: 8, brief: { ...plain.brief, part: 'part-0' } };
    const id = await addSong(on.server.address, over);
    const { page, context } = await openPlay(id);
    const place = page.locator('[data-test=position]');
    await page.keyboard.press('Shift+ArrowRight');
    await place.filter({ hasText: '5·1' }).waitFor();
    await page.keyboard.press('Shift+ArrowLeft');
    await place.filter({ hasText: '1·1' }).waitFor();
    await page.keyboard.press('c');
    await page.keyboard.press('-');
    await page.keyboard.press('-');
    await page.keyboard.press('Shift++');
    await page.keyboard.press('Shift+ArrowDown');
    await page.keyboard.press('Shift+ArrowDown');
    await page.keyboard.press('Shift+ArrowUp');
    const { brief, click, speed } = await until(async () => {
      const found = await documentOf(id);
      return found.brief.part === 'part-1' && found.speed === 0.9 && found;
    });
    expect([brief.part, click.when, speed]).toEqual(['part-1', 'never', 0.9]);
    await page.keyboard.press('c');
    await until(async () => (await documentOf(id)).click.when === plain.click.when);
    // The speed is beside the position, with its key.
    await footplate(page).getByRole('button', { name: 'Practice speed: 90%' }).click();
    await page.getByRole('button', { name: '50%', exact: true }).click();
    await until(async () => (await documentOf(id)).speed === 0.5);
    await context.close();
  });

  it('waits, quantizes and steadies from Play by one key each; what has no notes is left alone', async () => {
    const id = await addPlayedSong(on.server.address, 4, 120);
    const { page, context } = await openPlay(id);
    await page.keyboard.press('w');
    await page.getByText('until my first note, which is the start').first().waitFor();
    await page.keyboard.press('w');
    await until(async () => (await documentOf(id)).brief.wait === 'no');
    const recipes = async () => (await documentOf(id)).parts[0]!.treatments.map((t) => [t.way ?? 'quantize', t.from]);
    await page.keyboard.press('Shift+Q');
    await page.getByText(/^Piano, all of it: 70% to sixteenths/).waitFor();
    await until(async () => (await recipes()).length === 1);
    await page.keyboard.press('Shift+S');
    await until(async () => JSON.stringify(await recipes()) === '[["steady",0]]');
    await page.keyboard.press('u');
    await page.keyboard.press('u');
    await until(async () => (await recipes()).length === 0);
    const empty = await addSong(on.server.address, {});
    await page.goto(`/songs/${empty}/play`);
    await state(page, 'Ready');
    await page.keyboard.press('Shift+Q');
    await page.getByText('Piano has no notes there. Nothing was treated.').waitFor();
    await context.close();
  });

  it('is found by typing its name, with its key and what was taught, and done from there', async () => {
    const id = await addSong(on.server.address);
    const { page, context, errors } = await openPlay(id);
    await page.keyboard.press('Shift+?');
    const keys = page.getByRole('dialog', { name: 'Keys' });
    await keys.getByRole('button', { name: 'Key of Record: R. Change it' }).waitFor();
    await page.getByLabel('Find what to do').fill('clic');
    await page.keyboard.press('Enter');
    await keys.waitFor({ state: 'hidden' });
    await until(async () => (await documentOf(id)).click.when === 'never');
    await page.getByRole('button', { name: 'Keys', exact: true }).click();
    await page.getByLabel('Find what to do').fill('zither');
    await keys.getByText('Nothing is called “zither”.').waitFor();
    await page.getByLabel('Find what to do').fill('to tidy');
    await page.keyboard.press('Enter');
    await page.waitForURL(/tidy$/);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('can be taught to a pedal: the next section, the next part, a way of recording, panic', async () => {
    const parts = ['Piano', 'Organ'].map((name, i) => newPart({ id: `part-${i}`, name }, i));
    const id = await addSong(on.server.address, { parts, brief: { ...newSong('', 'part-0').brief, mode: 'merge' } });
    const { page, context } = await openPlay(id);
    await page.goto(`/songs/${id}/line-check?page=Hands-free`);
    const teach = async (name: string, controller: number) => {
      await page.getByRole('button', { name: `Teach ${name}`, exact: true }).click();
      await page.evaluate(`midiSend([0xb0, ${controller}, 127]); midiSend([0xb0, ${controller}, 0])`);
      await page
        .getByRole('button', { name: `Forget ${name}`, exact: true })
        .and(page.locator(':enabled'))
        .waitFor();
    };
    await teach('Arm the next part', 80);
    await teach('Plain new take', 81);
    await page.evaluate('midiSend([0xb0, 80, 127]); midiSend([0xb0, 80, 0]); midiSend([0xb0, 81, 127])');
    const { brief } = await until(async () => {
      const found = await documentOf(id);
      return found.brief.part === 'part-1' && found.brief.mode !== 'merge' && found;
    });
    expect([brief.part, brief.mode]).toEqual(['part-1', 'new take']);
    await context.close();
  });

  it('is offered where it is wanted: riding what was moved, undoing the pass, steadying the hand', async () => {
    const id = await addPlayedSong(on.server.address, 4, 240);
    const { page, context } = await openPlay(id);
    await page.evaluate('midiSend([0xb0, 1, 60])');
    await page.getByRole('button', { name: /^Ride the mod/ }).click();
    await until(async () => (await documentOf(id)).brief.ride === 'control 1');
    await page.keyboard.press('n');
    await page.keyboard.press('r');
    await state(page, 'Recording');
    await page.evaluate('midiSend([0x90, 60, 80]); midiSend([0x80, 60, 64])');
    await page.keyboard.press('r');
    await until(async () => (await documentOf(id)).parts[0]!.takes.length === 2);
    await page.getByRole('button', { name: 'Undo the pass Shift U' }).click();
    await until(async () => (await documentOf(id)).parts[0]!.takes.length === 1);
    await page.keyboard.press('Shift+Digit5');
    await page.getByRole('button', { name: 'Steady the hand' }).dblclick();
    const [treatment] = (
      await until(async () => {
        const found = await documentOf(id);
        return found.parts[0]!.treatments.length > 0 && found;
      })
    ).parts[0]!.treatments;
    expect([treatment!.way, treatment!.strength]).toEqual(['steady', 0.7]);
    await page.getByText('These bars are treated.').waitFor();
    await context.close();
  });
});
