import { execFile } from 'node:child_process';
import { request } from 'node:http';
import { join } from 'node:path';
import { promisify } from 'node:util';
import Sqlite from 'libsql';
import { beforeEach, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { openTimed } from '../harness/clock/time';
import { footplate, launchStrict, open, pressRecord, withKeyboard } from '../harness/browser';
import { addSong, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();
let id: string;
beforeEach(async () => {
  id = await addSong(on.server.address);
});

const absent = (script: string) => async (context: { addInitScript: (s: string) => Promise<unknown> }) => {
  await context.addInitScript(script);
};
const keyboards = async (page: Page) => {
  await page.locator('[data-control=keyboard]').click();
  return page.locator('.popup');
};

describe('a MIDI interface', () => {
  it.each([
    ['that the browser does not have', 'navigator.requestMIDIAccess = undefined', /has no MIDI/],
    [
      'that was refused',
      'navigator.requestMIDIAccess = () => Promise.reject(new DOMException("no", "NotAllowedError"))',
      /was not allowed to use MIDI/,
    ],
    [
      'that fails',
      'navigator.requestMIDIAccess = () => Promise.reject(new DOMException("no", "InvalidStateError"))',
      /did not answer/,
    ],
  ])('%s is told in words, and there is another way to play', async (_, script, words) => {
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`, absent(script));
    const list = await keyboards(page);
    await list.getByText(words).waitFor();
    expect(await list.getByText('Keys on screen').count()).toBeGreaterThan(0);
    expect(await list.getByRole('button', { name: 'Look again' }).count()).toBe(1);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('that loses its keyboard releases what was held', async () => {
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await page.getByText('Ready', { exact: true }).waitFor();
    await footplate(page).getByText('Stage keyboard', { exact: true }).waitFor();
    await page.evaluate('midiSend([0x90, 60, 90])');
    await page.getByText('1 note', { exact: true }).waitFor();
    await page.evaluate('midiUnplug()');
    await page.getByText('quiet', { exact: true }).waitFor();
    await context.close();
  });

  it('that sends broken messages is not minded', async () => {
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.evaluate(
      'for (const m of [[], [0x90], [0x90, 60], [0x90, 200, 1], [60, 1, 2], [0xfe], [0xf8], [0xf0, 1, ' +
        '0xf7]]) midiSend(m)',
    );
    await page.evaluate('midiSend([0x90, 62, 90])');
    await page.getByText('1 note', { exact: true }).waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('sound', () => {
  it('waits for the first click where the browser wants one, and says so', async () => {
    const strict = await launchStrict();
    // Playwright's calls count as user gestures, so the page itself reports what it shows.
    let said = () => {};
    const asked = new Promise<void>((done) => {
      said = done;
    });
    const { page } = await open(strict, on.server.address, `/songs/${id}/play`, async (made) => {
      await made.exposeFunction('tellAsked', () => said());
      await made.addInitScript(`addEventListener('DOMContentLoaded', () => new MutationObserver((_, observer) => {
        if (!document.body.textContent.includes('Sound starts with your first click or key')) return;
        observer.disconnect();
        tellAsked();
      }).observe(document.body, { childList: true, subtree: true, characterData: true }))`);
    });
    await asked;
    await pressRecord(page);
    await page.getByText('Recording', { exact: true }).waitFor({ timeout: 15_000 });
    await strict.close();
  });

  it.each([
    [1, 'Ready', 'Press Record'],
    [99, 'No sound', 'The browser could not start the sound. Reload the page.'],
  ])('whose thread the browser refuses %i times is asked for again, or said', async (times, state, words) => {
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, async (made) => {
      await made.addInitScript(`{
        const add = AudioWorklet.prototype.addModule;
        let left = ${times};
        AudioWorklet.prototype.addModule = function (...given) {
          return left-- > 0 ? Promise.reject(null) : add.apply(this, given);
        };
      }`);
    });
    await footplate(page).getByText(state, { exact: true }).waitFor();
    await footplate(page).getByText(words).waitFor();
    await context.close();
  });

  it('that cannot be had is said, and the song can still be read', async () => {
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, async (made) => {
      await made.route('**/bank/*', (route) => route.abort());
    });
    await page.getByText('No sound').waitFor();
    await page.getByText('could not be fetched').first().waitFor();
    await pressRecord(page);
    await page.getByText(/There is no sound/).waitFor();
    expect(await page.getByRole('region', { name: 'The brief' }).count()).toBe(1);
    await context.close();
  });

  it('that is suspended in the middle of a pass is said, and what is played is kept', async () => {
    const own = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }] });
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${own}/play`);
    await time.roll(() => pressRecord(page));
    await time.press(60, 0.5, 0.55);
    await time.to(1);
    await page.evaluate('standIn.context().suspend()');
    await time.move(100);
    await page.getByText(/The browser paused the sound/).waitFor();
    await page.evaluate('midiSend([0x90, 64, 90])');
    await page.getByRole('button', { name: /^End take/ }).click();
    await time.move(1000);
    await time.free();
    await page.locator('.take.heard').waitFor();
    const song = await until(async () => {
      const found = await readSong(on.server.address, own);
      return found.document.parts[0]!.takes.length === 1 && found;
    });
    expect(song.layers[0]!.events.filter((e) => e.message.type === 'noteOn')).toHaveLength(2);
    await context.close();
  });
});

describe('a file or an address that is wrong', () => {
  it('a damaged MIDI file is refused with the reason, and nothing is made of it', async () => {
    const { page, context } = await open(on.browser, on.server.address);
    await page.getByText('Trial song').first().waitFor();
    const before = await page.locator('article').count();
    await page
      .locator('input[type=file]')
      .first()
      .setInputFiles({
        name: 'torn.mid',
        mimeType: 'audio/midi',
        buffer: Buffer.from('MThd\x00\x00\x00\x06\x00\x01\x00\x02\x01\xe0MTrk\x00\x00\xff\x00\x00'),
      });
    await page.getByText(/torn\.mid: The MIDI file is cut short in its track 1/).waitFor();
    expect(await page.locator('article').count()).toBe(before);
    await context.close();
  });

  it('a song that is not there is said, with a way back', async () => {
    const { page, context } = await open(on.browser, on.server.address, '/songs/nowhere/play');
    await page.getByText('The song did not open').waitFor();
    await page.getByText('That song is not there.').waitFor();
    await page.getByRole('link', { name: 'To the Desk', exact: true }).click();
    await page.getByText('Trial song').first().waitFor();
    await context.close();
  });

  it('a server that is away is said on the desk, and looked for again', async () => {
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await page.getByRole('region', { name: 'The brief' }).waitFor();
    await on.server.kill();
    await page.keyboard.press('Shift+Digit1');
    await page.getByText(/The server is away/).waitFor();
    await on.server.restart();
    await page.getByRole('button', { name: 'Try again' }).click();
    await page.getByText('Trial song').first().waitFor();
    await context.close();
  });
});

describe('the server', () => {
  const ask = (
    path: string,
    headers: Record<string, string>,
    method = 'GET',
    body = '',
  ): Promise<{ status: number; text: string; location: string | undefined }> =>
    new Promise((done, failed) => {
      const sent = request(
        {
          host: '127.0.0.1',
          port: on.server.port,
          path,
          method,
          headers: { 'content-type': 'application/json', ...headers },
        },
        (response) => {
          let text = '';
          response.on('data', (chunk: Buffer) => {
            text += chunk.toString();
          });
          response.on('end', () => done({ status: response.statusCode!, text, location: response.headers.location }));
        },
      );
      sent.on('error', failed);
      sent.end(body);
    });

  it('answers its own pages only', async () => {
    const own = { host: `127.0.0.1:${on.server.port}` };
    expect((await ask('/api/jobs', own)).status).toBe(200);
    expect((await ask('/api/jobs', { ...own, origin: on.server.address })).status).toBe(200);
    expect((await ask('/api/jobs', { host: 'kettle.example' })).status).toBe(403);
    expect((await ask('/api/jobs', { ...own, origin: 'http://kettle.example' })).status).toBe(403);
    expect((await ask('/api/jobs', { ...own, origin: 'http://127.0.0.1:1' })).status).toBe(403);
    expect((await ask('/api/jobs', { ...own, origin: 'null' })).status).toBe(403);
  });

  it.each([
    ['/api/jobs', 'POST', '{"title":""}', 422],
    ['/api/jobs', 'POST', '{"title":', 400],
    ['/api/jobs', 'POST', '{"title":"x","due":"soon"}', 422],
    ['/api/songs', 'POST', '{"jobId":"none","document":{}}', 422],
    ['/api/songs/nowhere', 'GET', '', 404],
    ['/api/songs/nowhere/changes', 'POST', '{"base":0,"kind":"do","name":"x","patches":[],"inverse":[]}', 404],
    ['/api/songs/nowhere/changes', 'POST', '{"base":-1}', 422],
    ['/api/layers', 'POST', '{}', 422],
    ['/api/layers/none/chunks/1', 'PUT', '{"events":[]}', 404],
    ['/api/layers/none/chunks/x', 'PUT', '{"events":[]}', 422],
    [
      '/api/layers/none/chunks/1',
      'PUT',
      '{"events":[{"at":1,"message":{"type":"noteOn","key":200,"velocity":1}}]}',
      422,
    ],
    ['/api/layers/none/close', 'POST', '{"range":{"from":0,"to":1},"clears":[]}', 404],
    ['/api/layers/none/close', 'POST', '{}', 422],
    [`/api/audio/${'f'.repeat(64)}`, 'GET', '', 404],
    ['/api/audio/nothing', 'GET', '', 422],
    ['/api/devices/bench', 'PUT', '{"on":"perhaps"}', 422],
  ])('%s %s of %s is answered %d, with a reason', async (path, method, body, status) => {
    const answer = await ask(path, { host: `127.0.0.1:${on.server.port}` }, method, body);
    expect(answer.status).toBe(status);
    expect((JSON.parse(answer.text) as { message: string }).message.length).toBeGreaterThan(5);
  });

  it('has a policy for what its pages may load, and is framed by nobody', async () => {
    const page = await fetch(`${on.server.address}/`);
    const policy = page.headers.get('content-security-policy') ?? '';
    expect(policy).toContain("default-src 'self'");
    expect(policy).toContain("frame-ancestors 'none'");
    expect(policy.split(';').find((p) => p.includes('script-src'))).not.toContain('unsafe-inline');
    for (const path of ['/', '/api/jobs', '/mark.svg', '/api/nothing'])
      expect((await fetch(`${on.server.address}${path}`)).headers.get('x-content-type-options')).toBe('nosniff');
  });

  it('has one address: a page that is asked for by another name is sent there', async () => {
    const as = { host: `localhost:${on.server.port}` };
    for (const path of ['/songs/x/play', '//elsewhere.example:99/x', '//']) {
      const sent = await ask(path, { ...as, 'sec-fetch-dest': 'document' });
      expect([sent.status, sent.location]).toEqual([307, `${on.server.address}${path}`]);
    }
    expect((await ask('/api/jobs', as)).status).toBe(200);
  });

  it('takes nothing from another site’s page, whether it says where it comes from or not', async () => {
    const own = { host: `127.0.0.1:${on.server.port}` };
    const job = JSON.stringify({ title: 'Not ours', client: '', due: null, notes: '' });
    const before = (await ask('/api/jobs', own)).text;
    const origins = [undefined, 'https://elsewhere.example', `http://127.0.0.1:${on.server.port}`];
    for (const origin of origins)
      for (const method of ['GET', 'POST']) {
        const from = { ...own, 'sec-fetch-site': 'cross-site', ...(origin && { origin }) };
        expect((await ask('/api/jobs', from, method, method === 'POST' ? job : undefined)).status).toBe(403);
      }
    const asPage = { ...own, 'sec-fetch-site': 'cross-site', 'sec-fetch-dest': 'document' };
    expect((await ask('/api/jobs', asPage, 'POST', job)).status).toBe(403);
    expect((await ask('/', asPage)).status).toBe(200);
    expect((await ask('/api/jobs', own)).text).toBe(before);
  });

  it('tells what is too large, what is nowhere, and what has another number’s place', async () => {
    const own = { host: `127.0.0.1:${on.server.port}` };
    const large = JSON.stringify({ title: 'x'.repeat(300_000) });
    expect((await ask('/api/jobs', own, 'POST', large)).status).toBe(413);
    expect(JSON.parse((await ask('/api/nothing/here', own)).text)).toMatchObject({ statusCode: 404 });
    expect((await ask('/api/songs/%E0%A4%A', own)).status).toBe(422);
    const endless = { op: 'replace', path: ['parts', 'length'], value: 4_294_967_295 };
    const body = JSON.stringify({ base: 0, kind: 'do', name: 'x', patches: [endless], inverse: [] });
    expect((await ask(`/api/songs/${id}/changes`, own, 'POST', body)).status).toBe(422);
  });

  it('makes a change once that is sent twice', async () => {
    const before = await readSong(on.server.address, id);
    const patch = { op: 'replace', path: ['title'], value: 'Once' };
    const inverse = { op: 'replace', path: ['title'], value: before.document.title };
    const body = JSON.stringify({
      id: 'once',
      base: before.revision,
      kind: 'set',
      name: 'set song',
      patches: [patch],
      inverse: [inverse],
    });
    const own = { host: `127.0.0.1:${on.server.port}` };
    const answers = [1, 2].map(() => ask(`/api/songs/${id}/changes`, own, 'POST', body));
    for (const answer of await Promise.all(answers))
      expect(JSON.parse(answer.text)).toEqual({ revision: before.revision + 1 });
    expect((await readSong(on.server.address, id)).revision).toBe(before.revision + 1);
  });

  it('is one for a folder, and says so to a second', async () => {
    const { serve, freePort } = await import('../scripts/lib.mjs');
    const said = serve(on.server.folder, await freePort(), { stdio: 'ignore' });
    await expect(said).rejects.toMatchObject({ code: 20 });
  });

  it('that finds its port held says by whom, starts nothing, and names another', async () => {
    const start = (data: string) =>
      promisify(execFile)(process.execPath, ['scripts/start.mjs'], {
        env: { ...process.env, TALL_KETTLE_PORT: String(on.server.port), TALL_KETTLE_DATA: data },
      }).then(
        ({ stdout }) => ({ code: 0, words: stdout }),
        ({ code, stderr }: { code: number; stderr: string }) => ({ code, words: stderr }),
      );
    const other = await start(`${on.server.folder}-other`);
    expect(other.code).toBe(26);
    expect(other.words).toMatch(/held by this program, with the data in .*TALL_KETTLE_PORT=/s);
    // The same folder causes no error: it exists already.
    const same = await start(on.server.folder);
    expect([same.code, same.words]).toEqual([0, expect.stringMatching(/is running already, at http/)]);
  });

  it('with a song in it that cannot be read shows the others, and says which it is', async () => {
    const spoiled = await addSong(on.server.address);
    await on.server.kill();
    const database = new Sqlite(join(on.server.folder, 'tall-kettle.sqlite'));
    database.prepare('update songs set document = ? where id = ?').run('{"title":"no song"}', spoiled);
    database.prepare('delete from song_summaries where song_id = ?').run(spoiled);
    database.close();
    await on.server.restart();
    const { page, context, errors } = await open(on.browser, on.server.address);
    await page.getByText('A song that cannot be read').waitFor();
    expect(await page.getByText('Trial song').count()).toBeGreaterThan(0);
    await page.goto(`/songs/${spoiled}/play`);
    await page
      .getByText(/did not open/)
      .first()
      .waitFor();
    expect(errors).toEqual([]);
    await context.close();
    // It stays as it is.
    const after = new Sqlite(join(on.server.folder, 'tall-kettle.sqlite'), { readonly: true });
    const row = after.prepare('select document from songs where id = ?').get(spoiled);
    expect(row).toMatchObject({ document: '{"title":"no song"}' });
    after.close();
  });

  it('that starts works out what the Desk shows before anybody asks for it', async () => {
    const own = await addSong(on.server.address);
    await on.server.kill();
    const file = join(on.server.folder, 'tall-kettle.sqlite');
    const kept = () => {
      const database = new Sqlite(file);
      const row = database.prepare('select summary from song_summaries where song_id = ?').get(own);
      database.close();
      return row as { readonly summary: string } | undefined;
    };
    expect(kept()).toBeUndefined();
    await on.server.restart();
    expect(JSON.parse((await until(async () => kept())).summary)).toMatchObject({ id: own, title: 'Trial song' });
  });

  it('does not take a song apart by a change that does not fit', async () => {
    const before = await readSong(on.server.address, id);
    const patch = { op: 'replace', path: ['parts', 99, 'name'], value: 'x' };
    const body = JSON.stringify({ base: before.revision, kind: 'do', name: 'x', patches: [patch], inverse: [] });
    expect((await ask(`/api/songs/${id}/changes`, { host: `127.0.0.1:${on.server.port}` }, 'POST', body)).status).toBe(
      422,
    );
    expect(await readSong(on.server.address, id)).toEqual(before);
  });
});
