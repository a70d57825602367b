import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Download, Page } from 'playwright-core';
import { WaveFile } from 'wavefile';
import { fromBuffer, type Entry } from 'yauzl';
import { describe, expect, it } from 'vitest';
import { readMidiFile } from '../core/files/smf';
import type { Delivery } from '../core/handover/delivery';
import type { Note } from '../core/performance/notes';
import { choose, open } from '../harness/browser';
import { addTakenSong } from '../harness/played';
import { madeFiles } from '../harness/runs';
import { post, put, readSong, startServer } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial(true);

/** Files in a zip, by name. */
function unzipped(bytes: Buffer): Promise<Map<string, Buffer>> {
  return new Promise((done, failed) => {
    const files = new Map<string, Buffer>();
    fromBuffer(bytes, { lazyEntries: true }, (error, zip) => {
      if (error) return failed(error);
      zip.on('entry', (entry: Entry) => {
        zip.openReadStream(entry, (broken, stream) => {
          if (broken) return failed(broken);
          const pieces: Buffer[] = [];
          stream.on('data', (piece: Buffer) => pieces.push(piece));
          stream.on('end', () => {
            files.set(entry.fileName, Buffer.concat(pieces));
            zip.readEntry();
          });
        });
      });
      zip.on('end', () => done(files));
      zip.readEntry();
    });
  });
}

const bytesOf = async (download: Download): Promise<Buffer> => readFileSync(await download.path());
const press = (page: Page, name: string | RegExp) => page.getByRole('button', { name }).click();
const station = async (page: Page, song: string, at: string): Promise<void> => {
  await page.goto(`/songs/${song}/${at}`);
};
const isMade = (page: Page) => page.getByRole('button', { name: 'Discard them' }).waitFor();
const check = (page: Page, name: RegExp) =>
  page.getByRole('region', { name: 'Checks' }).getByRole('listitem', { name });

async function saveZip(page: Page): Promise<{ readonly name: string; readonly files: Map<string, Buffer> }> {
  const [download] = await Promise.all([page.waitForEvent('download'), press(page, /as a zip$/)]);
  return { name: download.suggestedFilename(), files: await unzipped(await bytesOf(download)) };
}

/** Quarter notes through some bars, with one doubled note and a pedal that stays down. */
const beats = (bars: number, doubled = false): Note[] =>
  Array.from({ length: bars * 4 }, (_, i): Note[] => {
    const note = { id: `n${i}`, key: 50 + (i % 5), velocity: 90, release: 64, start: i * 960, end: i * 960 + 700 };
    return doubled && i === 5 ? [note, { ...note, id: 'again', velocity: 40, start: note.start + 20 }] : [note];
  }).flat();

describe('handing over', () => {
  it('goes from a finished part to files that line up, and a second version with what changed', async () => {
    const { page, context, outside, errors } = await open(on.browser, on.server.address);
    // The delivery is read late: nothing is changed before, and nothing is undone by it.
    await page.route('**/delivery', async (route) => {
      if (route.request().method() === 'GET') await new Promise((done) => setTimeout(done, 1500));
      await route.continue();
    });
    await page.getByRole('link', { name: 'One thing left' }).click();
    await page.getByText('Hand over').first().waitFor();
    // The pad was never played, so it is left out.
    await check(page, /^String pad: is silent/)
      .getByRole('button', { name: 'leave it out' })
      .click();
    await page.getByText('Ready', { exact: true }).first().waitFor();
    await page.getByRole('button', { name: /^What goes with them/ }).click();
    await page.getByRole('button', { name: 'With accents' }).click();
    await page.keyboard.press('Escape');
    await page
      .getByRole('button', { name: /^What goes with them: a click with accents, sheets and markers/ })
      .waitFor();
    await press(page, 'Make the files');
    await isMade(page);
    const { name, files } = await saveZip(page);
    expect(name).toBe('The Orchard Gate - version 1.zip');
    await page.getByText('Handed over, version 1').waitFor();

    // The client's view of it.
    const named = (words: string) => files.get(`The Orchard Gate - ${words}`)!;
    const wavs = ['Electric piano.wav', 'Tonewheel organ.wav', 'click.wav'].map((w) => new WaveFile(named(w)));
    const lengths = wavs.map((w) => (w.getSamples(false, Int32Array) as unknown as Int32Array[])[0]!.length);
    expect(lengths).toEqual([110 * 48_000, 110 * 48_000, 110 * 48_000]);
    const all = readMidiFile(named('all parts.mid'));
    expect([all.end, all.tracks.map((t) => t.name)]).toEqual([44 * 3840, ['Electric piano', 'Tonewheel organ']]);
    // The click is on bar 1, and the piano sounds at its notes.
    const [click] = wavs[2]!.getSamples(false, Float64Array) as unknown as Float64Array[];
    expect(Math.abs(click![0]!)).toBeGreaterThan(2 ** 22);
    const note = named('delivery note.txt').toString();
    for (const [file, bytes] of files)
      if (!file.includes('delivery note'))
        expect([file, note.includes(createHash('sha256').update(bytes).digest('hex'))]).toEqual([file, true]);
    expect(named('cue sheet.txt').toString()).toMatch(/17 +0:40\.000 +Chorus 1, bars 17–24/);

    await page.keyboard.press('Shift+Digit1');
    await page.getByRole('link', { name: 'Handed over, version 1' }).waitFor();

    // A chorus is quantized: the next version has only that part, and says why.
    await station(page, 'orchard-gate', 'tidy');
    await choose(page, 'Bars', 'Chorus 1');
    await press(page, 'Quantize these bars');
    await page.getByText('All kept').waitFor();
    await page.keyboard.press('Shift+Digit6');
    const versions = page.getByRole('region', { name: 'Versions' });
    await versions.getByText(/Electric piano: .*pulled to sixteenths/).waitFor();
    await page.keyboard.press('Shift+Digit6');
    for (const left = check(page, /need your ear/); (await left.count()) > 0;) {
      await left.getByRole('button', { name: 'Accept' }).click();
      await page.getByLabel('Why it goes out like this').fill('Heard, and meant so');
      await press(page, 'Accept it');
    }
    await press(page, 'Only what changed');
    const second = await saveZip(page);
    expect([...second.files.keys()].filter((f) => f.endsWith('.wav'))).toEqual([
      ...['The Orchard Gate - Electric piano.wav', 'The Orchard Gate - click.wav'],
    ]);
    expect(second.files.get('The Orchard Gate - delivery note.txt')!.toString()).toMatch(/pulled to sixteenths/);
    await page.getByText('Handed over, version 2').waitFor();

    // The first version again, byte for byte.
    await press(page, 'Make version 1 again');
    await page.getByText('Every file is the same as it was, byte for byte.').waitFor();
    const again = await saveZip(page);
    expect([...again.files.keys()].sort()).toEqual([...files.keys()].sort());
    for (const [file, bytes] of files) expect([file, again.files.get(file)!.equals(bytes)]).toEqual([file, true]);
    expect(outside).toEqual([]);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('finds a fault, mends it and takes the mend back; waves another through until it changes', async () => {
    const id = await addTakenSong(on.server.address, 4, 120, [{ notes: beats(4, true).slice(0, -5), controls: [] }], {
      sections: [
        { id: 'a', name: 'Verse 1', bars: 2, pattern: null },
        { id: 'b', name: 'Verse 2', bars: 2, pattern: null },
      ],
    });
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/hand-over`);
    await page.getByText('Two things left').first().waitFor();
    const doubled = check(page, /is played twice within 10 ms/);
    await doubled.getByRole('link', { name: 'Go there' }).click();
    await page.getByRole('heading', { name: 'Tidy' }).or(page.getByText('By hand')).first().waitFor();
    expect(page.url()).toContain('/tidy');
    await page.goBack();
    await doubled.getByRole('button', { name: 'take the softer one out' }).click();
    await page.getByText('One thing left').first().waitFor();
    await page.keyboard.press('u');
    await page.getByText('Two things left').first().waitFor();
    await page.keyboard.press('y');
    await page.getByText('One thing left').first().waitFor();

    const missing = check(page, /bar 4 of Verse 2 not played/);
    await missing.getByRole('button', { name: 'Accept' }).click();
    await page.getByLabel('Why it goes out like this').fill('The organ holds there');
    await press(page, 'Accept it');
    await page.getByText('Nothing left').waitFor();
    await page.reload();
    await page.getByText('The organ holds there').waitFor();
    await press(page, 'Make the files');
    await isMade(page);
    const { files } = await saveZip(page);
    expect(files.get('Trial song - delivery note.txt')!.toString()).toContain('The organ holds there');
    await press(page, /^Look at it again/);
    await missing.waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('writes into a folder, and leaves no half file where it breaks off', async () => {
    const id = await addTakenSong(on.server.address, 2, 120, [{ notes: beats(2), controls: [] }]);
    // A folder inside the browser replaces the player's.
    const stand = `window.showDirectoryPicker = () => navigator.storage.getDirectory();`;
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/hand-over`, async (c) => {
      await c.addInitScript(stand);
    });
    const listed = (folder: string) =>
      page.evaluate(
        `(async () => { const root = await navigator.storage.getDirectory(); const into = await ` +
          `root.getDirectoryHandle(${JSON.stringify(folder)}); const found = {}; for await (const [n, h] of ` +
          `into.entries()) found[n] = (await h.getFile()).size; return found; })()`,
      ) as Promise<Record<string, number>>;
    // The connection breaks in mid-sound.
    let sent = 0;
    await page.route('**/files/*', async (route) => {
      sent += 1;
      if (sent === 2) await route.abort('connectionreset');
      else await route.continue();
    });
    await press(page, 'Hand over into a folder');
    await page.getByText(/1 of 5 files lie whole in .*Version 1 is remembered/).waitFor();
    const half = await listed('Trial song - version 1');
    expect(Object.keys(half).sort()).toEqual(['Trial song - Piano.mid']);
    // Again: existing files are not overwritten.
    await press(page, 'Save into a folder');
    await page.getByText('5 files now in Trial song - version 1 (2).').waitFor();
    const whole = await listed('Trial song - version 1 (2)');
    expect(Object.keys(whole)).toHaveLength(5);
    expect(whole['Trial song - Piano.wav']).toBeGreaterThan(4 * 48_000 * 6);
    // The player revokes the permission to write.
    await page.evaluate(
      `FileSystemFileHandle.prototype.createWritable = async () => { ` +
        `throw new DOMException('gone', 'NotAllowedError'); }`,
    );
    await press(page, 'Save into a folder');
    await page.getByText(/may not write into that folder any more: 0 of 5 files lie whole/).waitFor();
    expect(await listed('Trial song - version 1 (3)')).toEqual({});
    expect(errors).toEqual([]);
    await context.close();
  });

  it('says what would clip, with the gain that mends it', async () => {
    const loud = Array.from({ length: 32 }, (_, i): Note => ({
      ...{ id: `n${i}`, key: 36 + i, velocity: 127, release: 64, start: 0, end: 3800 },
    }));
    const id = await addTakenSong(on.server.address, 2, 120, [{ notes: loud, controls: [] }]);
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/hand-over`);
    await page.getByRole('button', { name: /^Audio files/ }).click();
    const field = page.getByRole('combobox', { name: 'All files louder or softer' });
    await page.locator('.v-field', { has: field }).click();
    await page.getByRole('option', { name: '+12 dB' }).click();
    await page.keyboard.press('Escape');
    await press(page, 'Make the files');
    const clips = check(page, /would clip, by/);
    await clips.waitFor();
    expect(await page.getByRole('button', { name: 'Hand over as a zip' }).isDisabled()).toBe(true);
    await clips.getByRole('button', { name: /^lower all files to/ }).click();
    await isMade(page);
    await page.getByText('Nothing found').waitFor();
    const { files } = await saveZip(page);
    const [side] = new WaveFile(files.get('Trial song - Piano.wav')!).getSamples(false, Int32Array) as unknown as [
      Int32Array,
    ];
    const most = side.reduce((m, s) => Math.max(m, Math.abs(s)), 0) / 2 ** 23;
    expect(most).toBeLessThan(1);
    expect(most).toBeGreaterThan(0.5);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is stopped at once, and says so when the server goes in the middle', async () => {
    const id = await addTakenSong(on.server.address, 100, 60, [{ notes: beats(100), controls: [] }]);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/hand-over`);
    await press(page, 'Make the files');
    await page.getByRole('progressbar', { name: 'How far the files are' }).waitFor();
    await press(page, 'Stop');
    await page.getByRole('button', { name: 'Make the files' }).waitFor();
    await press(page, 'Make the files');
    await page.getByRole('progressbar', { name: 'How far the files are' }).waitFor();
    // It continues while another station is open, and says so there.
    await page.keyboard.press('Shift+Digit3');
    await page.getByRole('link', { name: /^Hand over\s\d+%$/ }).click();
    await page.getByRole('progressbar', { name: 'How far the files are' }).waitFor();
    await on.server.kill();
    await on.server.restart();
    await page.getByText(/not there any more. Nothing was handed over/).waitFor();
    const { document } = await readSong(on.server.address, id);
    expect(document.parts[0]!.handed).toBeNull();
    // And again, now that it is back.
    await page.getByRole('button', { name: /^Audio files/ }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'None' }).click();
    await page.keyboard.press('Escape');
    await press(page, 'Make the files');
    await isMade(page);
    await context.close();
  });

  it('shows what it knew of the delivery when that cannot be read again', async () => {
    const id = await addTakenSong(on.server.address, 2, 120, [{ notes: beats(2), controls: [] }]);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/hand-over`);
    const audio = page.getByRole('button', { name: /^Audio files/ });
    await audio.waitFor();
    const refused: string[] = [];
    await page.route('**/delivery', (route) => {
      refused.push(route.request().url());
      return route.abort();
    });
    await page.keyboard.press('Shift+Digit3');
    await audio.waitFor({ state: 'detached' });
    await page.keyboard.press('Shift+Digit6');
    await expect.poll(() => refused.length).toBeGreaterThan(0);
    await audio.waitFor();
    await context.close();
  });

  it('shows what another window chose of the delivery, and takes nothing of it back', async () => {
    const id = await addTakenSong(on.server.address, 2, 120, [{ notes: beats(2), controls: [] }]);
    const first = await open(on.browser, on.server.address, `/songs/${id}/hand-over`);
    await first.page.getByRole('button', { name: /^MIDI files: MIDI in one file and a file each, 960/ }).waitFor();
    await press(first.page, 'Make the files');
    await isMade(first.page);
    const second = await first.context.newPage();
    await second.goto(`${on.server.address}/songs/${id}/hand-over`);
    await second.getByRole('button', { name: /^MIDI files/ }).click();
    await second.getByRole('button', { name: '480', exact: true }).click();
    // The first window's sentence shows the change, and files of the former delivery are dropped.
    await first.page.getByRole('button', { name: /^MIDI files: MIDI in one file and a file each, 480/ }).waitFor();
    await first.page.getByRole('button', { name: 'Make the files' }).waitFor();
    await first.page.getByRole('button', { name: /^Audio files/ }).click();
    await first.page.getByRole('dialog').getByRole('button', { name: 'None' }).click();
    await first.page.keyboard.press('Escape');
    await second.getByRole('button', { name: /^Audio files: no audio/ }).waitFor();
    const { jobId } = await readSong(on.server.address, id);
    const stored = await (await fetch(`${on.server.address}/api/jobs/${jobId}/delivery`)).json();
    expect(stored).toMatchObject({ resolution: 480, audio: 'none', midi: 'both' });
    expect(first.errors).toEqual([]);
    await first.context.close();
  });

  it('makes nothing of a delivery that is not on the screen, says so, and shows what it is', async () => {
    const id = await addTakenSong(on.server.address, 2, 120, [{ notes: beats(2), controls: [] }]);
    const { page, context, errors } = await open(on.browser, on.server.address);
    // This window hears of no changes elsewhere.
    await context.route('**/api/feed', (route) => route.abort());
    await page.goto(`${on.server.address}/songs/${id}/hand-over`);
    await page.getByRole('button', { name: /^MIDI files: .* 960/ }).waitFor();
    const { jobId } = await readSong(on.server.address, id);
    await put(on.server.address, `/api/jobs/${jobId}/delivery`, { resolution: 480, audio: 'none' });
    await press(page, 'Make the files');
    await page
      .getByRole('alert')
      .getByText(/in another window/)
      .waitFor();
    await page.getByRole('button', { name: /^MIDI files: .* 480/ }).waitFor();
    await page
      .getByRole('alert')
      .getByText(/in another window/)
      .waitFor();
    await press(page, 'Make the files');
    await isMade(page);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('hands over one of three parts as MIDI and sound in two presses, and the job’s delivery stays', async () => {
    const { page, context, errors } = await open(on.browser, on.server.address, '/songs/orchard-gate/hand-over');
    const { jobId } = await readSong(on.server.address, 'orchard-gate');
    const chosen = async () => (await fetch(`${on.server.address}/api/jobs/${jobId}/delivery`)).text();
    const before = await chosen();
    await page.getByRole('group', { name: 'What is made this time' }).waitFor();
    await press(page, /^Tonewheel organ$/);
    const { files } = await saveZip(page);
    expect([...files.keys()].map((name) => name.replace('The Orchard Gate - ', '')).sort()).toEqual(
      ['Tonewheel organ.mid', 'Tonewheel organ.wav', 'cue sheet.txt', 'delivery note.html', 'delivery note.txt']
        .concat(before.includes('"accented"') ? ['click.wav'] : [])
        .sort(),
    );
    await page.getByRole('region', { name: 'Versions' }).getByText('Tonewheel organ alone.').waitFor();
    await page.getByRole('button', { name: /^Parts that go out: (2 of 3|both) parts/ }).waitFor();
    expect(await chosen()).toBe(before);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('keeps a delivery under the client’s name, for the next job', async () => {
    const first = await addTakenSong(on.server.address, 2, 120, [{ notes: beats(2), controls: [] }]);
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${first}/hand-over`);
    await page.getByRole('button', { name: /^MIDI files/ }).click();
    await page.getByRole('button', { name: 'A file each', exact: true }).click();
    await page.getByRole('button', { name: '480', exact: true }).click();
    await page.keyboard.press('Escape');
    await press(page, 'Clients');
    await page.getByLabel('Keep this delivery as').fill('Saltings Radio');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByRole('button', { name: 'Saltings Radio', exact: true }).waitFor();
    const next = await addTakenSong(on.server.address, 2, 120, [{ notes: beats(2), controls: [] }]);
    await station(page, next, 'hand-over');
    await page.getByRole('button', { name: /^MIDI files: MIDI in one file and a file each, 960/ }).waitFor();
    await press(page, 'Clients');
    await page.getByRole('button', { name: 'Saltings Radio', exact: true }).click();
    await page.getByRole('button', { name: /^MIDI files: MIDI in a file each, 480/ }).waitFor();
    const { jobId } = await readSong(on.server.address, next);
    const stored = await (await fetch(`${on.server.address}/api/jobs/${jobId}/delivery`)).json();
    expect(stored).toMatchObject({ midi: 'apart', resolution: 480 });
    await expect(post(on.server.address, `/api/songs/${next}/runs`, { again: 9 })).rejects.toThrow(/404/);
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('an archive', () => {
  it('of a job comes out, and back on an empty server the same; then beside, or joined', async () => {
    const { page, context, outside, errors } = await open(on.browser, on.server.address);
    await page.getByText('Marsh Light, series two').waitFor();
    const menu = page.getByRole('button', { name: 'More for the job Marsh Light, series two' });
    await menu.click();
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByText('Archive as a zip').click()]);
    expect(download.suggestedFilename()).toMatch(/^Marsh Light, series two - archive 20\d\d-\d\d-\d\d\.zip$/);
    const bytes = await bytesOf(download);
    const inside = await unzipped(bytes);
    expect([...inside.keys()].slice(0, 2)).toEqual(['tall-kettle.json', 'README.txt']);
    const before = await Promise.all(['orchard-gate', 'night-ferry'].map((id) => readSong(on.server.address, id)));
    expect(outside).toEqual([]);
    await context.close();

    const empty = await startServer();
    const there = await open(on.browser, empty.address);
    const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-sent-'));
    const bringIn = async (name: string, buffer: Buffer): Promise<void> => {
      writeFileSync(join(folder, name), buffer);
      await there.page.locator('input[type=file][accept^=".zip"]').setInputFiles(join(folder, name));
    };
    await there.page.getByText('An empty desk').waitFor();
    await bringIn('job.zip', bytes);
    await there.page.getByText(/songs?: .*The Orchard Gate/).waitFor();
    await press(there.page, 'Bring it in');
    await there.page
      .getByRole('link', { name: /^The Orchard Gate/ })
      .first()
      .waitFor();
    const after = await Promise.all(['orchard-gate', 'night-ferry'].map((id) => readSong(empty.address, id)));
    for (const [i, song] of after.entries()) {
      expect(song.document).toEqual(before[i]!.document);
      expect(song.stacks).toEqual(before[i]!.stacks);
      expect(song.layers.map((l) => [l.header.id, l.events.length]).sort()).toEqual(
        before[i]!.layers.map((l) => [l.header.id, l.events.length]).sort(),
      );
    }
    // The imported song opens, and plays with its backing.
    await there.page
      .getByRole('link', { name: /^The Orchard Gate/ })
      .first()
      .click();
    await there.page.getByText('Ready', { exact: true }).waitFor();
    await there.page.keyboard.press('Shift+Digit1');
    // The second import finds the job, and asks.
    await bringIn('job.zip', bytes);
    await there.page.getByText(/is here already\. Nothing of it is written over/).waitFor();
    await press(there.page, 'Join its songs');
    await there.page.getByText(/Nothing new came/).waitFor();
    await bringIn('job.zip', bytes);
    await press(there.page, 'Another job beside it');
    await there.page.getByRole('region', { name: 'Marsh Light, series two 2' }).waitFor();
    // A damaged archive is reported, another file refused, and the desk is unchanged.
    await bringIn('short.zip', bytes.subarray(0, Math.floor(bytes.length * 0.6)));
    await there.page.getByText('It is damaged. All else in it is whole, and comes:').waitFor();
    await press(there.page, 'Not now');
    await bringIn('letter.zip', Buffer.from('Dear client'));
    await there.page.getByText(/letter\.zip: This is not a zip/).waitFor();
    await press(there.page, 'Close');
    const jobs = (await (await fetch(`${empty.address}/api/jobs`)).json()) as unknown[];
    expect(jobs).toHaveLength(2);
    expect([...errors, ...there.errors]).toEqual([]);
    rmSync(folder, { recursive: true });
    await there.context.close();
    await empty.end();
  });
});

describe('what a client sends back', () => {
  it('comes in as a take to be compared, and a score as a song’s form', async () => {
    const id = await addTakenSong(on.server.address, 2, 120, [{ notes: beats(2), controls: [] }]);
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/hand-over`);
    const [download] = await Promise.all([page.waitForEvent('download'), press(page, 'Save Piano')]);
    await page.keyboard.press('Shift+Digit4');
    await page.locator('input[type=file][accept*=midi]').setInputFiles({
      ...{ name: 'Piano from the client.mid', mimeType: 'audio/midi', buffer: await bytesOf(download) },
    });
    await page.getByText('Piano from the client.mid is take 2 of Piano, on the song’s bars.').waitFor();
    await page.getByText('All kept').waitFor();
    const song = await readSong(on.server.address, id);
    const [first, second] = song.document.parts[0]!.takes;
    expect(song.document.parts[0]!.comp.map((p) => p.takeId)).toEqual([first!.id]);
    expect(second).toMatchObject({ number: 2, name: 'Piano from the client' });
    // Undo takes it away again.
    await page.keyboard.press('u');
    await page.getByText('Piano from the client', { exact: true }).waitFor({ state: 'detached' });
    await page.locator('input[type=file][accept*=midi]').setInputFiles({
      ...{ name: 'letter.mid', mimeType: 'audio/midi', buffer: Buffer.from('Dear player') },
    });
    await page.getByText(/letter\.mid: This is not a MIDI file.*No take was made of it/).waitFor();

    await page.keyboard.press('Shift+Digit1');
    const bar = (inside: string) => `<measure>${inside}<note><duration>4</duration></note></measure>`;
    const score =
      '<score-partwise><work><work-title>Reed beds</work-title></work><part id="P1">' +
      bar(
        '<attributes><divisions>1</divisions><key><fifths>2</fifths></key><time><beats>4</beats>' +
          '<beat-type>4</beat-type></time></attributes><direction><sound tempo="84"/></direction>',
      ) +
      bar('<barline><repeat direction="backward"/></barline>') +
      '</part></score-partwise>';
    await page
      .getByRole('region', { name: 'Trial' })
      .first()
      .locator('input[type=file]')
      .setInputFiles({
        ...{ name: 'reeds.musicxml', mimeType: 'application/xml', buffer: Buffer.from(score) },
      });
    await page.waitForURL(/set-up$/);
    const made = await readSong(on.server.address, page.url().split('/').at(-2)!);
    expect(made.document).toMatchObject({ title: 'Reed beds', bars: 4, key: { fifths: 2, minor: false } });
    expect(made.document.tempo[0]!.bpm).toBe(84);
    expect(errors).toEqual([]);
    await context.close();
  });
});

/** Only sound file of a song's delivery. */
async function soundOf(
  id: string,
  delivery: Partial<Delivery>,
): Promise<{ readonly path: string; readonly bytes: Buffer }> {
  const run = await madeFiles(on.server.address, id, { midi: 'none', sheets: false, ...delivery });
  expect(run.state).toBe('ready');
  const path = `/api/runs/${run.id}/files/0`;
  return { path, bytes: Buffer.from(await (await fetch(`${on.server.address}${path}`)).arrayBuffer()) };
}

it('FLAC files are, as a browser reads them, sample for sample the WAV files', async () => {
  const id = await addTakenSong(on.server.address, 4, 120, [{ notes: beats(4), controls: [] }]);
  const { page, context } = await open(on.browser, on.server.address);
  for (const rate of [44_100, 96_000] as const) {
    const wav = new WaveFile((await soundOf(id, { rate })).bytes);
    const flac = await soundOf(id, { rate, format: 'flac' });
    expect(flac.bytes.subarray(0, 4).toString()).toBe('fLaC');
    const text = await page.evaluate<string>(`(async () => {
      const sent = await (await fetch('${flac.path}')).arrayBuffer();
      const read = await new OfflineAudioContext(2, 1, ${rate}).decodeAudioData(sent);
      const samples = new Int32Array(read.length * 2);
      for (const side of [0, 1])
        read.getChannelData(side).forEach((x, i) => { samples[2 * i + side] = Math.round(x * 2 ** 23); });
      let text = '';
      const bytes = new Uint8Array(samples.buffer);
      for (let from = 0; from < bytes.length; from += 8192)
        text += String.fromCharCode(...bytes.subarray(from, from + 8192));
      return btoa(text);
    })()`);
    const bytes = Buffer.from(text, 'base64');
    const read = new Int32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);
    const [left, right] = wav.getSamples(false) as unknown as [Float64Array, Float64Array];
    expect(read.length).toBe(left.length * 2);
    expect(left.some((x) => Math.abs(x) > 1000)).toBe(true);
    let differ = 0;
    for (let i = 0; i < left.length; i += 1) if (read[2 * i] !== left[i] || read[2 * i + 1] !== right[i]) differ += 1;
    expect([rate, differ]).toEqual([rate, 0]);
  }
  await context.close();
});
