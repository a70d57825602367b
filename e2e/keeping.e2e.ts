import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { openTimed } from '../harness/clock/time';
import { launchMortal, open, pressRecord, withKeyboard } from '../harness/browser';
import { change, type Command } from '../core/song/changes';
import { onceTaken, recordFor, notesIn } from '../harness/recording';
import { addSong, post, readSong, until } from '../harness/server';
import { FRESH } from '../core/vocabulary/limits';
import { trial } from '../harness/trial';

const on = trial();

const taken = (id: string) => onceTaken(on.server.address, id);
const fast = () => addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }] });

describe('a take in progress', () => {
  it('is there after a reload in the middle of it', async () => {
    const id = await fast();
    const { page, context, due } = await recordFor(on.browser, on.server.address, id, 4);
    const kept = await due();
    expect(kept).toBeGreaterThan(8);
    await page.reload();
    await page.getByText(/A pass was cut off/).waitFor();
    expect(notesIn(await taken(id))).toBeGreaterThanOrEqual(kept);
    await page.getByText('bars 1–').first().waitFor();
    await context.close();
  });

  it('is there after the browser was killed', async () => {
    const id = await fast();
    const mortal = await launchMortal();
    const { due } = await recordFor(mortal.browser, on.server.address, id, 4);
    const kept = await due();
    expect(kept).toBeGreaterThan(8);
    await mortal.kill();
    const { context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    expect(notesIn(await taken(id))).toBeGreaterThanOrEqual(kept);
    await context.close();
  });

  it('is at the server when the page says so, however busy the page is', async () => {
    const id = await fast();
    const { page, context, time, due, struck } = await recordFor(on.browser, on.server.address, id, 4, true);
    // What the page would have had to say, if it was kept by then.
    const kept = await due();
    expect(kept).toBeGreaterThan(8);
    await until(async () => notesIn(await readSong(on.server.address, id)) >= kept);
    await page.keyboard.press('r');
    await time.state('Ready');
    await time.free();
    await page.getByText('All kept').waitFor();
    const song = await readSong(on.server.address, id);
    expect(song.document.parts[0]!.takes.length).toBe(1);
    // A note at the very end may still be on its way into the page when the key is pressed; the pass takes it in.
    expect(notesIn(song)).toBeGreaterThanOrEqual((await struck()) - 1);
    await context.close();
  });

  it('goes on while the server is killed, and is kept when it is back', async () => {
    const id = await fast();
    const { page, context, time, struck } = await recordFor(on.browser, on.server.address, id, 2);
    await on.server.kill();
    await time.until(`document.body.textContent.includes('Server away, kept in this browser')`);
    const away = await time.now();
    await time.move(1500);
    await page.getByRole('button', { name: /^End take/ }).click();
    await time.state('Ready');
    await time.free();
    await page.locator('.take.heard').waitFor();
    expect(await page.getByText('Server away').count()).toBe(1);
    expect(await time.now()).toBeGreaterThan(away);
    await on.server.restart();
    await page.getByText('All kept').waitFor();
    expect(notesIn(await taken(id))).toBe(await struck());
    await context.close();
  });

  it('is undone and brought back across a reload', async () => {
    const id = await fast();
    const { page, context, time } = await recordFor(on.browser, on.server.address, id, 1.2);
    await page.keyboard.press('r');
    await time.state('Ready');
    await time.free();
    await page.locator('.take.heard').waitFor();
    await page.getByText('All kept').waitFor();
    await page.reload();
    await page.locator('.take.heard').waitFor();
    await page.keyboard.press('u');
    await page.getByText('No takes yet').waitFor();
    await page.getByText('All kept').waitFor();
    await page.reload();
    await page.getByText('No takes yet').waitFor();
    await page.keyboard.press('y');
    await page.locator('.take.heard').waitFor();
    const { stacks } = await taken(id);
    expect([stacks.done.length, stacks.undone.length]).toEqual([1, 0]);
    await context.close();
  });
});

describe('a long history', () => {
  it('is sent in pieces, and undo leads through all of it', async () => {
    const id = await addSong(on.server.address, { bars: 4 });
    let { document } = await readSong(on.server.address, id);
    const before: number[] = [];
    for (let base = 0; base < 120; base += 1) {
      before.push(document.parts[0]!.gainDb);
      const made = change(document, { type: 'set part', part: 'piano', to: { gainDb: -1 - (base % 30) } });
      const { patches, inverse } = made;
      await post(on.server.address, `/api/songs/${id}/changes`, { base, kind: 'do', name: 'x', patches, inverse });
      document = made.document;
    }
    expect((await readSong(on.server.address, id)).stacks.done.length).toBeLessThan(120);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await page.getByText('Ready', { exact: true }).waitFor();
    for (let step = 119; step >= 3; step -= 1) {
      await page.keyboard.press('u');
      // Older steps come while there are some left.
      if (step % 20 === 0) await page.getByText('All kept').waitFor();
    }
    const undone = await until(async () => {
      const song = await readSong(on.server.address, id);
      return song.revision >= 237 && song;
    });
    expect(undone.document.parts[0]!.gainDb).toBe(before[3]);
    await context.close();
  });
});

describe('what the server would not have', () => {
  it('is shown with why, kept whole, and goes through when it is tried again', async () => {
    const id = await addSong(on.server.address);
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await page.locator('[data-control=count]').waitFor();
    await page.route('**/changes', (route) =>
      route.fulfill({ status: 422, json: { message: 'It did not fit the song.' } }),
    );
    await page.getByRole('button', { name: 'Mute Piano' }).click();
    await page.getByRole('button', { name: 'Not kept: 1' }).waitFor();
    // The rest of the song is as the server has it, and goes on.
    await page.getByRole('button', { name: 'Mute Piano' }).waitFor();
    await page.unroute('**/changes');
    await page.getByRole('button', { name: 'Solo Piano' }).click();
    await until(async () => (await readSong(on.server.address, id)).document.parts[0]!.solo);

    // The next day it is still there.
    await page.reload();
    await page.getByRole('button', { name: 'Not kept: 1' }).click();
    const dialog = page.getByRole('dialog', { name: 'Not kept' });
    await dialog.getByText('It did not fit the song.').waitFor();
    await dialog.getByRole('button', { name: 'Try again' }).click();
    await dialog.getByText('There is nothing left.').waitFor();
    const { document } = await until(async () => {
      const song = await readSong(on.server.address, id);
      return song.document.parts[0]!.muted && song;
    });
    expect(document.parts[0]!.solo).toBe(true);
    expect(errors.filter((e) => !/422/.test(e))).toEqual([]);
    await context.close();
  });
});

describe('what the server cannot do now', () => {
  it('is said in its words, waits in the browser, and goes through by itself', async () => {
    const id = await addSong(on.server.address);
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await page.locator('[data-control=count]').waitFor();
    await page.route('**/changes', (route) =>
      route.fulfill({ status: 503, headers: { 'Retry-After': '1' }, json: { message: 'The server’s disk is full.' } }),
    );
    await page.getByRole('button', { name: 'Mute Piano' }).click();
    const said = page.getByText('The server’s disk is full. What you play and change lies in this browser');
    await said.waitFor();
    const inkOf = (words: string) => page.getByText(words).evaluate((e) => getComputedStyle(e).color);
    const troubled = await inkOf('Server in trouble, kept in this browser');
    // Put away, it is not said again each time that it is tried.
    await page.getByRole('button', { name: 'Put this away' }).click();
    await page.getByRole('button', { name: 'Solo Piano' }).click();
    await page.waitForRequest('**/changes');
    await page.waitForRequest('**/changes');
    expect(await said.count()).toBe(0);
    await page.unroute('**/changes');
    await page.getByText('All kept').waitFor();
    expect(await inkOf('All kept')).not.toBe(troubled);
    const [piano] = (await readSong(on.server.address, id)).document.parts;
    expect([piano!.muted, piano!.solo]).toEqual([true, true]);
    expect(errors.filter((e) => !/503/.test(e))).toEqual([]);
    await context.close();
  });
});

describe('what is kept by name', () => {
  it('is kept one by one: by two windows, after a reading that failed, and again after it was forgotten', async () => {
    const id = await addSong(on.server.address);
    const names = async () => {
      const answer = await fetch(`${on.server.address}/api/kept/presets`);
      return ((await answer.json()) as { name: string }[]).map((p) => p.name);
    };
    const menu = async (page: Page) => {
      await page.getByRole('button', { name: 'Presets' }).click();
      return page.getByRole('dialog', { name: 'Presets of the brief' });
    };
    const keep = async (page: Page, name: string) => {
      const dialog = await menu(page);
      await dialog.getByLabel('Keep the brief as').fill(name);
      await dialog.getByRole('button', { name: 'Keep', exact: true }).click();
      return dialog;
    };
    const a = await open(on.browser, on.server.address, `/songs/${id}/play`);
    const b = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await b.page.locator('[data-control=count]').waitFor();
    await keep(a.page, 'Fills / 50 % ..');
    await until(async () => (await names()).length === 1);
    // The other window has not read it, and cannot now.
    await b.page.route('**/api/kept/**', (route) =>
      route.request().method() === 'GET'
        ? route.fulfill({ status: 503, json: { message: 'In use.' } })
        : route.continue(),
    );
    const dialog = await menu(b.page);
    await dialog.getByText('What is kept by name could not be read: In use.').waitFor();
    await b.page.keyboard.press('Escape');
    const shown = await keep(b.page, 'Ballads');
    await until(async () => (await names()).join() === 'Ballads,Fills / 50 % ..');
    await shown.getByRole('button', { name: 'Forget Fills / 50 % ..' }).click();
    await until(async () => (await names()).join() === 'Ballads');
    await b.page.getByRole('button', { name: 'Bring it back' }).click();
    await until(async () => (await names()).length === 2);
    expect([...a.errors, ...b.errors.filter((e) => !/503/.test(e))]).toEqual([]);
    await a.context.close();
    await b.context.close();
  });
});

describe('a second browser', () => {
  it('leaves a take alone that is being recorded, in a rest too, and shows it when it is done', async () => {
    const id = await fast();
    const first = await recordFor(on.browser, on.server.address, id, 4);
    const before = await first.due();
    // Another browser: it has a storage and locks of its own.
    const second = await openTimed(on.browser, on.server.address, `/songs/${id}/play`);
    await second.page.getByText('No takes yet').waitFor();
    await first.time.to(9);
    const open = (await readSong(on.server.address, id)).layers;
    expect(open.map((l) => l.closing)).toEqual([null]);
    await first.time.free();
    await first.page.keyboard.press(' ');
    const song = await taken(id);
    expect(notesIn(song)).toBeGreaterThan(before);
    expect(notesIn(song)).toBe(await first.struck());
    await second.page.locator('.take.heard').waitFor();
    await first.context.close();
    await second.context.close();
  });

  it('makes a take of what a sleeping one had kept; that one is told, and goes on in a take of its own', async () => {
    const id = await fast();
    const first = await recordFor(on.browser, on.server.address, id, 4);
    const before = await first.due();
    await first.context.setOffline(true);
    // It is heard of no more for as long as the server waits.
    await new Promise((done) => setTimeout(done, FRESH + 1000));
    const second = await open(on.browser, on.server.address, `/songs/${id}/play`);
    expect(notesIn(await taken(id))).toBeGreaterThanOrEqual(before);
    await first.context.setOffline(false);
    await first.time.to(6);
    await first.page.getByText(/another one ended the take/).waitFor();
    await first.time.to(8);
    await first.time.free();
    await first.page.keyboard.press(' ');
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.takes.length === 2 && found.layers.every((l) => l.closing) && found;
    });
    const own = song.layers.filter((l) => song.document.parts[0]!.takes[1]!.layers.includes(l.header.id));
    expect(notesIn({ ...song, layers: own })).toBe(await first.struck());
    expect(await first.page.getByRole('button', { name: /Not kept/ }).count()).toBe(0);
    await first.context.close();
    await second.context.close();
  });
});

describe('two windows on one song', () => {
  it('keep both changes', async () => {
    const id = await addSong(on.server.address);
    const a = await open(on.browser, on.server.address, `/songs/${id}/play`);
    const b = await open(on.browser, on.server.address, `/songs/${id}/play`);
    const count = async (page: Page, name: string) => {
      await page.locator('[data-control=count]').click();
      await page.getByRole('button', { name, exact: true }).click();
      await page.keyboard.press('Escape');
    };
    await b.page.locator('[data-control=count]').waitFor();
    await count(a.page, '3 bars');
    await until(async () => (await readSong(on.server.address, id)).document.brief.countOffBars === 3);
    // The other window's change comes by itself.
    await b.page.getByText('3 bars').waitFor();
    await b.page.getByRole('button', { name: 'Mute Piano' }).click();
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.muted && found;
    });
    expect(song.document.brief.countOffBars).toBe(3);

    // And when one of them was cut off from the server for several changes.
    await b.page.getByText('All kept').waitFor();
    await b.context.setOffline(true);
    await b.page.getByRole('button', { name: 'Solo Piano' }).click();
    await b.page.getByRole('button', { name: 'Mute Click' }).click();
    await b.page.getByText('Server away, kept in this browser').waitFor();
    await count(a.page, '4 bars');
    await until(async () => (await readSong(on.server.address, id)).document.brief.countOffBars === 4);
    await b.context.setOffline(false);
    await b.page.getByText('All kept').waitFor();
    const last = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.solo && found.document.click.when === 'counting' && found;
    });
    expect(last.document.brief.countOffBars).toBe(4);
    await b.page.getByText('4 bars').waitFor();
    await a.context.close();
    await b.context.close();
  });
});

describe('a window whose keeper does not come from the server', () => {
  /** Keys that the Bench keyboard, which another test may have switched on, does not play. */
  const LOWEST = [21, 22, 23];

  it('says so, keeps what is played in itself, and asks until it comes', async () => {
    const id = await fast();
    const opened = await open(on.browser, on.server.address, `/songs/${id}/play`, async (context) => {
      await context.route('**/keeper.worker*', (route) => route.abort());
      await withKeyboard(context);
    });
    const { page, context, errors } = opened;
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.getByText('In this window only: leave it open').waitFor();
    await page.getByText(/did not come from the server/).waitFor();
    await pressRecord(page);
    await page.locator('.footplate .state').getByText('Recording').waitFor();
    for (const key of LOWEST) {
      await page.evaluate(`midiSend([0x90, ${key}, 90])`);
      await page.waitForTimeout(50);
      await page.evaluate(`midiSend([0x80, ${key}, 64])`);
    }
    await page.keyboard.press('r');
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.getByText('In this window only: leave it open').waitFor();
    expect((await readSong(on.server.address, id)).layers).toEqual([]);
    await context.unroute('**/keeper.worker*');
    await page.getByText('All kept').waitFor();
    expect(await page.getByText(/did not come from the server/).count()).toBe(0);
    const { layers, document } = await readSong(on.server.address, id);
    const struck = layers.flatMap((l) => l.events).flatMap(({ message: m }) => (m.type === 'noteOn' ? m.key : []));
    expect(struck.filter((key) => LOWEST.includes(key))).toEqual(LOWEST);
    expect(document.parts[0]!.takes).toHaveLength(1);
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('a window that may have missed a change', () => {
  async function changedElsewhere(id: string, command: Command, kind: 'do' | 'set'): Promise<void> {
    const { document, revision } = await readSong(on.server.address, id);
    const { patches, inverse } = change(document, command);
    const facts = { base: revision, after: null, kind, name: command.type };
    await post(on.server.address, `/api/songs/${id}/changes`, { id: crypto.randomUUID(), ...facts, patches, inverse });
  }
  /** The part is muted by somebody else. */
  const mutedElsewhere = (id: string, kind: 'do' | 'set' = 'set') =>
    changedElsewhere(id, { type: 'set part', part: 'piano', to: { muted: true } }, kind);
  const shownMuted = (page: Page) => page.locator('button[aria-label="Mute Piano"][aria-pressed="true"]').waitFor();

  /** The second of two windows, once the first has gone: it is to follow the server, and waits for the way there. */
  async function leftBehind(id: string) {
    const { page: first, context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await first.getByRole('button', { name: 'Mute Piano' }).waitFor();
    const page = await context.newPage();
    await page.goto(`/songs/${id}/play`);
    await page.getByRole('button', { name: 'Mute Piano' }).waitFor();
    const way = gate();
    let asked = 0;
    await context.route('**/api/feed', async (route) => {
      asked += 1;
      await way.opened;
      await route.continue();
    });
    await first.close();
    await until(() => Promise.resolve(asked > 0));
    return { page, context, connect: way.open };
  }
  function gate() {
    let go = (): void => {};
    const opened = new Promise<void>((done) => {
      go = done;
    });
    return { opened, open: () => go() };
  }

  it('shows it, where the window that followed the server was gone for a while', async () => {
    const id = await addSong(on.server.address);
    const { page, context, connect } = await leftBehind(id);
    await mutedElsewhere(id);
    connect();
    await shownMuted(page);
    await context.close();
  });

  it('shows it, where another window was told that its undo could not be made', async () => {
    const id = await addSong(on.server.address);
    await mutedElsewhere(id, 'do');
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    const second = await context.newPage();
    await second.goto(`/songs/${id}/play`);
    for (const window of [page, second]) await shownMuted(window);
    // This window's own changes do not get through; the other one carries them.
    await page.route('**/changes', (route) => route.abort());
    await page.keyboard.press('u');
    await page.locator('button[aria-label="Mute Piano"][aria-pressed="false"]').waitFor();
    await changedElsewhere(id, { type: 'set length', bars: 12 }, 'do');
    await second.getByRole('button', { name: 'Mute Click' }).click();
    await until(async () => (await readSong(on.server.address, id)).document.click.when === 'counting');
    await shownMuted(page);
    await page.getByText(/An undo made here meanwhile was left out/).waitFor();
    await context.close();
  });

  it('shows it, where the change overtook the song on its way to the page', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await open(on.browser, on.server.address, '/');
    let overtaken = false;
    await page.route(`**/api/songs/${id}`, async (route) => {
      if (overtaken) return route.continue();
      overtaken = true;
      const answer = await route.fetch();
      await mutedElsewhere(id);
      await route.fulfill({ response: answer });
    });
    await page.goto(`/songs/${id}/play`);
    await shownMuted(page);
    await context.close();
  });

  it('shows it, where an older song was on its way while nobody followed the server', async () => {
    const id = await addSong(on.server.address);
    const { page, context, connect } = await leftBehind(id);
    const older = gate();
    let asked = 0;
    await page.route(`**/api/songs/${id}`, async (route) => {
      asked += 1;
      const answer = await route.fetch();
      if (asked === 1) await older.opened;
      await route.fulfill({ response: answer });
    });
    // A change that is refused is taken back by reading the song.
    await page.route('**/changes', (route) => route.fulfill({ status: 422, json: { message: 'No.' } }));
    await page.getByRole('button', { name: 'Solo Piano' }).click();
    await until(() => Promise.resolve(asked === 1));
    await page.unroute('**/changes');
    // The refused change counts in the window's revision until that song is shown: the number alone says nothing.
    await mutedElsewhere(id);
    const compared = page.waitForResponse(/revision$/);
    connect();
    await compared;
    older.open();
    await shownMuted(page);
    await context.close();
  });

  it('shows it, where the connection it followed the server by had died without a word', async () => {
    const id = await addSong(on.server.address);
    let asked = 0;
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/play`, {
      init: async (made) => {
        await made.route('**/api/feed', async (route) => {
          asked += 1;
          // Nothing is ever said on the first.
          if (asked > 1) await route.continue();
        });
      },
    });
    await page.getByRole('button', { name: 'Mute Piano' }).waitFor();
    await until(() => Promise.resolve(asked === 1));
    await mutedElsewhere(id);
    await time.move(60_000);
    await shownMuted(page);
    expect(asked).toBe(2);
    await context.close();
  });

  it('shows it, where it was made before the window had begun to listen', async () => {
    const id = await addSong(on.server.address);
    const { page: first, context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await first.getByText('All kept').waitFor();
    const page = await context.newPage();
    const late = gate();
    await page.route('**/keeper.worker*', async (route) => {
      await late.opened;
      await route.continue();
    });
    await page.goto(`/songs/${id}/play`);
    await page.getByRole('button', { name: 'Mute Piano' }).waitFor();
    await mutedElsewhere(id);
    await shownMuted(first);
    expect(await page.locator('button[aria-label="Mute Piano"][aria-pressed="true"]').count()).toBe(0);
    late.open();
    await shownMuted(page);
    await context.close();
  });

  it('shows it, where the window that follows the server for all has died without a word', async () => {
    const id = await addSong(on.server.address);
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/play`, {
      init: async (made) => {
        const dead = await made.newPage();
        await dead.goto(`${on.server.address}/api/alive`);
        await dead.evaluate(`void navigator.locks.request('tall-kettle feed', () => new Promise(() => {}))`);
      },
    });
    await page.getByRole('button', { name: 'Mute Piano' }).waitFor();
    await page.getByText('All kept').waitFor();
    await mutedElsewhere(id);
    await time.move(60_000);
    await shownMuted(page);
    // From here on it follows by itself.
    await changedElsewhere(id, { type: 'set part', part: 'piano', to: { muted: false } }, 'set');
    await page.locator('button[aria-label="Mute Piano"][aria-pressed="false"]').waitFor();
    await context.close();
  });

  it('shows it, where the server could not answer when it was told', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`);
    await page.getByRole('button', { name: 'Mute Piano' }).waitFor();
    let refused = 0;
    await page.route(`**/api/songs/${id}`, async (route) => {
      refused += 1;
      if (refused <= 2) await route.fulfill({ status: 503, json: { message: 'The disk is full.' } });
      else await route.continue();
    });
    await mutedElsewhere(id);
    await shownMuted(page);
    expect(refused).toBeGreaterThan(2);
    await context.close();
  });
});
