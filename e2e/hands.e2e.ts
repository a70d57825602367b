/** Commands from the keys, the stand, the brief by keyboard, and the number of presses for common tasks. */
import type { Page } from 'playwright-core';
import { describe, expect, it } from 'vitest';
import { COMMANDS_BY_KEY } from '../core/performance/commandKeys';
import type { Action } from '../core/performance/learned';
import { addPlayedSong, addTakenSong, lineOf } from '../harness/played';
import { footplate, open, state, withKeyboard } from '../harness/browser';
import { steadyBeats, wavOfBeats } from '../harness/files';
import { addSong, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';
import { newBacking } from '../core/document/backing';

const on = trial();

const KEY_OF = new Map([...COMMANDS_BY_KEY].map(([key, action]) => [action, key]));
const LOWEST = 21;
const send = (page: Page, ...bytes: number[]) => page.evaluate(`midiSend([${bytes.join()}])`);
const press = async (page: Page, key: number) => {
  await send(page, 0x90, key, 80);
  await send(page, 0x80, key, 0);
};
/** Gives commands with the command key held. */
async function command(page: Page, ...actions: Action[]): Promise<void> {
  await send(page, 0x90, LOWEST, 80);
  for (const action of actions) await press(page, KEY_OF.get(action)!);
  await send(page, 0x80, LOWEST, 0);
}
const says = (page: Page, name: string | RegExp) =>
  page.getByRole('region', { name: 'The brief' }).getByRole('button', { name }).first().waitFor();

async function withCommandKey(path: string) {
  const opened = await open(
    on.browser,
    on.server.address,
    path.replace(/\/play$/, '/line-check?page=Hands-free'),
    withKeyboard,
  );
  await opened.page.getByRole('button', { name: 'Take the ready-made set' }).click();
  await opened.page.getByText('Press the key or pedal').waitFor();
  await press(opened.page, LOWEST);
  await opened.page.getByText('A0 on Stage keyboard').waitFor();
  await opened.page.keyboard.press('Shift+Digit3');
  await state(opened.page, 'Ready');
  return opened;
}

describe('long work', () => {
  it('says how far it is: a song that opens, the sounds, and what the song plays', async () => {
    const notes = Array.from({ length: 20_000 }, (_, i) => ({
      ...{ id: `n${i}`, key: 40 + (i % 40), start: i * 30, end: i * 30 + 29 },
      ...{ velocity: 1 + ((i * 37) % 127), release: (i * 53) % 128 },
    }));
    const large = await addTakenSong(on.server.address, 160, 120, [{ notes, controls: [] }]);
    const body = Uint8Array.from(wavOfBeats('x', steadyBeats(100, 16), 20).buffer);
    const sent = await fetch(`${on.server.address}/api/audio`, { method: 'POST', body });
    const { hash } = (await sent.json()) as { hash: string };
    const backing = newBacking({ id: 'mix', name: 'Mix', audio: hash, length: 20 });
    const backed = await addSong(on.server.address, { backings: [backing] });
    const { page, context } = await open(
      on.browser,
      on.server.address,
      `/songs/${await addSong(on.server.address)}/play`,
    );
    await state(page, 'Ready');
    await page.keyboard.press('Shift+Digit1');
    const line = await context.newCDPSession(page);
    await line.send('Network.enable');
    /** Limits the server's speed, in bytes a second; -1 for no limit. */
    const pace = (downloadThroughput: number) =>
      line.send('Network.emulateNetworkConditions', {
        ...{ offline: false, latency: 0, uploadThroughput: -1, downloadThroughput },
      });
    const to = (id: string) => page.evaluate(`window.useNuxtApp().$router.push('/songs/${id}/play')`);
    await pace(20_000);
    await to(large);
    await page.getByText(/^Opening the song: \d+%, \d+ (s|min) left$/).waitFor();
    await page.getByRole('link', { name: 'To the Desk', exact: true }).waitFor();
    await pace(-1);
    await state(page, 'Ready');

    await page.keyboard.press('Shift+Digit1');
    await pace(20_000);
    await to(backed);
    await footplate(page).getByText('Backings and recorded sound are loading: 0 of 1').waitFor();
    await pace(-1);
    await state(page, 'Ready');

    await pace(1_000_000);
    await line.send('Network.setCacheDisabled', { cacheDisabled: true });
    await page.reload();
    await footplate(page)
      .getByText(/^The sounds are loading: \d+%, \d+ s left$/)
      .waitFor();
    await pace(-1);
    await state(page, 'Ready');
    await context.close();
  });
});

describe('the command key', () => {
  it('makes commands of the keys while it is held, shows each, and nothing of it is recorded', async () => {
    const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: 240 }] });
    const { page, context, errors } = await withCommandKey(`/songs/${id}/play`);
    await send(page, 0x90, LOWEST, 80);
    const shown = page.getByRole('group', { name: 'Keys as commands' });
    await shown.getByText('Section after').waitFor();
    await press(page, KEY_OF.get('lead-in')!);
    await press(page, KEY_OF.get('loop')!);
    await send(page, 0x80, LOWEST, 0);
    await shown.waitFor({ state: 'detached' });
    await says(page, /^Bars, loop and laps: going round/);
    await command(page, 'loop', 'next mode');
    await says(page, /^What happens to what is there: merge/);
    await command(page, 'record');
    await state(page, 'Recording');
    await press(page, 60);
    await command(page, 'record');
    await state(page, 'Ready');
    const song = await until(async () => {
      const now = await readSong(on.server.address, id);
      return now.document.parts[0]!.takes.length === 1 && now;
    });
    const struck = song.layers[0]!.events.flatMap(({ message }) => (message.type === 'noteOn' ? [message.key] : []));
    expect(struck).toEqual([60]);
    await command(page, 'mark good');
    await until(async () => (await readSong(on.server.address, id)).document.parts[0]!.takes[0]!.mark === 'good');
    expect(errors).toEqual([]);
    await context.close();
  });

  it('confirms with a word where the system has a voice of its own, and not while a pass records', async () => {
    const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: 240 }] });
    const { page, context } = await open(
      on.browser,
      on.server.address,
      `/songs/${id}/line-check?page=Hands-free`,
      async (c) => {
        await withKeyboard(c);
        await c.addInitScript(`{
        window.spoken = [];
        const voices = [
          { name: 'Far', lang: 'en', localService: false }, { name: 'Near', lang: 'en-GB', localService: true },
        ];
        const speech = Object.assign(new EventTarget(), {
          getVoices: () => voices, cancel() {}, speak: (u) => window.spoken.push([u.voice.name, u.text]),
        });
        Object.defineProperty(window, 'speechSynthesis', { value: speech });
        window.SpeechSynthesisUtterance = class { constructor(text) { this.text = text; } };
      }`);
      },
    );
    await page.getByRole('button', { name: 'With a word' }).click();
    await page.getByRole('button', { name: 'Take the ready-made set' }).click();
    await press(page, LOWEST);
    await page.keyboard.press('Shift+Digit3');
    await state(page, 'Ready');
    await command(page, 'loop', 'loop');
    expect(await page.evaluate('spoken')).toEqual([
      ['Near', 'loop on'],
      ['Near', 'loop off'],
    ]);
    await command(page, 'record');
    await state(page, 'Recording');
    await command(page, 'click');
    await command(page, 'stop');
    await state(page, 'Ready');
    await command(page, 'wait');
    expect(((await page.evaluate('spoken')) as string[][]).map(([, text]) => text)).toContain('waits for you');
    expect(((await page.evaluate('spoken')) as string[][]).map(([, text]) => text)).not.toContain('click off');
    await context.close();
  });
});

describe('the stand', () => {
  const stand = (page: Page) => page.getByRole('region', { name: 'Stand' });

  it('shows the place, the state and the next pass at one key, in text of 22 pixels or more', async () => {
    const id = await addPlayedSong(on.server.address, 12, 120);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await page.keyboard.press('s');
    await stand(page).getByText('Ready', { exact: true }).waitFor();
    await stand(page)
      .getByText(/record a new take · .* · from bar 1 to the end/)
      .waitFor();
    await stand(page).getByText('1 take', { exact: true }).waitFor();
    const smallest = await stand(page).evaluate((top) =>
      Math.min(
        ...[...top.querySelectorAll('*')]
          .filter((e) => [...e.childNodes].some((n) => n.nodeType === 3 && n.textContent!.trim()))
          .map((e) => Number.parseFloat(getComputedStyle(e).fontSize)),
      ),
    );
    expect(smallest).toBeGreaterThanOrEqual(22);
    const [over] = await stand(page).evaluate((top) => [top.scrollWidth - top.clientWidth]);
    expect(over).toBeLessThanOrEqual(0);
    await page.keyboard.press('r');
    await stand(page)
      .getByText(/^Counting off/)
      .waitFor();
    await stand(page).getByText('Recording', { exact: true }).waitFor();
    await page.keyboard.press('r');
    await stand(page).getByText('Ready', { exact: true }).waitFor();
    await page.keyboard.press('Escape');
    await stand(page).waitFor({ state: 'detached' });
    await context.close();
  });

  it('follows in a window of its own, hears no keys there, and says when nothing is left to show', async () => {
    const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: 240 }] });
    const { page, context, errors } = await open(on.browser, on.server.address, '/stand', withKeyboard);
    await page.getByText('It follows by itself').waitFor();
    const main = await context.newPage();
    await main.goto(`/songs/${id}/play`);
    await stand(page).getByText('Ready', { exact: true }).waitFor();
    await main.keyboard.press(' ');
    await stand(page).getByText('Playing', { exact: true }).waitFor();
    await until(async () => (await stand(page).getByLabel('Bar and beat').textContent())?.startsWith('3'));
    await main.keyboard.press(' ');
    await stand(page).getByText('Ready', { exact: true }).waitFor();
    expect(await page.evaluate('window.midiHears')).toBeUndefined();
    await main.close({ runBeforeUnload: true });
    await page.getByText('It follows by itself').waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('the list of keys', () => {
  it('changes a key, says what had it, keeps it through a reload, and gives all back', async () => {
    const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: 240 }] });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await page.keyboard.press('?');
    await page.getByRole('button', { name: 'Key of Record: R. Change it' }).click();
    await page.keyboard.press('g');
    await page.getByText('G is Record now. Go again has no key.').waitFor();
    await page.getByRole('button', { name: 'Key of Record: G. Change it' }).click();
    await page.keyboard.press('4');
    await page.getByText('4 has a meaning of its own. Take another key.').waitFor();
    await page.keyboard.press('Escape');
    await page.reload();
    await state(page, 'Ready');
    expect(
      await footplate(page)
        .getByRole('button', { name: /^Record/ })
        .innerText(),
    ).toMatch(/G$/);
    await page.keyboard.press('r');
    await page.keyboard.press('g');
    await state(page, 'Recording');
    await page.keyboard.press('g');
    await state(page, 'Ready');
    await page.keyboard.press('?');
    await page.getByRole('button', { name: 'All keys as they came' }).click();
    await page.getByRole('button', { name: 'Key of Go again: G. Change it' }).waitFor();
    await context.close();
  });
});

describe('fingers', () => {
  it('play several keys of the strip at once, and find what is pressed large enough', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const context = await on.browser.newContext({
      ...{ viewport: { width: 1024, height: 768 }, baseURL: on.server.address, hasTouch: true, isMobile: true },
    });
    const page = await context.newPage();
    await page.goto(`/songs/${id}/play`);
    await state(page, 'Ready');
    const held = () => page.locator('.strip .held').evaluateAll((keys) => keys.map((k) => Number(k.dataset.key)));
    const at = async (key: number) => {
      const box = (await page.locator(`.strip [data-key="${key}"]`).boundingBox())!;
      return { x: box.x + box.width / 2, y: box.y + box.height - 8, id: key };
    };
    const touch = await context.newCDPSession(page);
    const fingers = [await at(60), await at(64), await at(67)];
    await touch.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints: fingers });
    await until(async () => (await held()).length === 3);
    expect(await held()).toEqual([60, 64, 67]);
    await touch.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: fingers.slice(0, 1) });
    await until(async () => (await held()).length < 3);
    await touch.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] });
    await until(async () => (await held()).length === 0);
    const small = await page
      .getByRole('button')
      .evaluateAll((all) =>
        all
          .filter((b) => b.getClientRects().length > 0 && b.getBoundingClientRect().height < 39.5)
          .map((b) => b.textContent),
      );
    // Practice speed is also in Play's sentence and among the keys.
    expect(small.length).toBeLessThanOrEqual(1);
    // A long touch shows a control's hint, as a resting pointer does, and presses nothing.
    const again = footplate(page).getByRole('button', { name: /^Go again/ });
    const box = (await again.boundingBox())!;
    const finger = { x: box.x + box.width / 2, y: box.y + box.height / 2, id: 1 };
    await touch.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints: [finger] });
    await page.getByText('Stop, keep what was played, and start the same pass over').waitFor();
    await touch.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] });
    await page.waitForTimeout(300);
    await state(page, 'Ready');
    await again.tap();
    await state(page, 'Recording');
    await context.close();
  });
});

describe('the brief by key', () => {
  it('goes through its phrases, changes one where it stands, and opens it', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await page.keyboard.press('Tab');
    await page.keyboard.press('ArrowUp');
    await says(page, 'Count-off: 2 bars');
    await page.keyboard.press('Tab');
    await page.keyboard.press('ArrowUp');
    await page.keyboard.press('ArrowUp');
    await says(page, /^What happens to what is there: replace$/);
    await page.keyboard.press('ArrowDown');
    await says(page, /^What happens to what is there: merge/);
    await page.keyboard.press('Enter');
    // Each mode is explained before it is selected.
    await page.getByText('A take of its own, heard in these bars at once.').waitFor();
    await page.getByText('Everything in these bars is replaced').waitFor();
    await page.keyboard.press('Escape');
    await page.keyboard.press('Tab');
    await page.keyboard.press('Tab');
    await page.keyboard.press('ArrowUp');
    await page.keyboard.press('ArrowUp');
    await says(page, 'What is recorded: bar 2');
    await context.close();
  });

  it('brings the ways of recording back that were used last, with a key each', async () => {
    const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: 240 }] });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    for (const mode of ['record a new take', 'merge', 'replace']) {
      await says(page, new RegExp(`^What happens to what is there: ${mode}`));
      await page.keyboard.press('r');
      await state(page, 'Recording');
      await page.keyboard.press('r');
      await state(page, 'Ready');
      await page.keyboard.press('v');
    }
    await page.keyboard.press('d');
    await says(page, /^What happens to what is there: merge/);
    await page.keyboard.press('f');
    await says(page, /^What happens to what is there: record a new take/);
    await page.keyboard.press('j');
    await page.getByText('Fewer presets than that have been used so far.').waitFor();
    await context.close();
  });
});

describe('a job takes so many presses', () => {
  /** Counts the player's actions; typing a text counts as one. */
  function counted(page: Page) {
    let count = 0;
    return {
      key: async (key: string) => {
        count += 1;
        await page.keyboard.press(key);
      },
      type: async (text: string) => {
        count += 1;
        await page.keyboard.type(text);
      },
      click: async (name: string | RegExp) => {
        count += 1;
        await page.getByRole('button', { name }).first().click();
      },
      key88: async (...keys: number[]) => {
        count += keys.length;
        for (const key of keys) await press(page, key);
      },
      get count() {
        return count;
      },
    };
  }
  async function played(bars = 12) {
    const id = await addPlayedSong(on.server.address, bars, 240);
    const opened = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(opened.page, 'Ready');
    return { id, ...opened, by: counted(opened.page) };
  }

  it('two bars chosen and recorded with the computer’s keys: three', async () => {
    const { page, by, context } = await played();
    await by.type('9 10');
    await page.getByText('Enter selects them').waitFor();
    await by.key('Enter');
    await says(page, 'What is recorded: bars 9–10');
    await by.key('r');
    await state(page, 'Recording');
    await footplate(page).getByText('Until the end of bar 10, or Stop').waitFor();
    expect(by.count).toBe(3);
    await context.close();
  });

  it('typed bars that are none of the song’s are said, and Escape leaves them', async () => {
    const { page, context } = await played();
    await page.keyboard.type('9 40');
    await page.getByText('no bars of this song').waitFor();
    await page.keyboard.press('Enter');
    await page.keyboard.press('Escape');
    await page.getByText('no bars of this song').waitFor({ state: 'detached' });
    await says(page, 'What is recorded: from bar 1 to the end');
    await context.close();
  });

  it('two bars redone with a lead-in: two', async () => {
    const { page, by, context } = await played();
    await page.keyboard.type('9 10');
    await page.keyboard.press('Enter');
    await by.key('e');
    await by.key('r');
    await state(page, 'Lead-in');
    await state(page, 'Recording');
    expect(by.count).toBe(2);
    await context.close();
  });

  it('something added to two bars: three', async () => {
    const { page, by, context } = await played();
    await page.keyboard.type('9 10');
    await page.keyboard.press('Enter');
    await by.key('v');
    await by.key('r');
    await state(page, 'Recording');
    await says(page, /^What happens to what is there: merge/);
    expect(by.count).toBeLessThanOrEqual(3);
    await context.close();
  });

  it('a wait until I play, quantizing, steadying: one each', async () => {
    const { page, by, context } = await played();
    await by.key('w');
    await says(page, /^Wait for a note: until my first note/);
    await by.key('Shift+Q');
    await page.getByText('What you played is kept; Undo takes the treatment off.').waitFor();
    await by.key('Shift+S');
    await page.getByText(/drift/).first().waitFor();
    expect(by.count).toBe(3);
    await context.close();
  });

  it('no sound from the keys, found and mended: one', async () => {
    const { page, by, context } = await played();
    await page.getByRole('button', { name: 'Mute Piano' }).click();
    await page.getByText('Piano is muted').first().waitFor();
    await by.click('Let it sound');
    await page.getByRole('button', { name: 'Let it sound' }).waitFor({ state: 'detached' });
    expect(by.count).toBe(1);
    await context.close();
  });

  it('one range of another take picked: one', async () => {
    const note = (key: number) => [{ id: 'n', key, velocity: 80, release: 64, start: 0, end: 30_000 }];
    const takes = [60, 64].map((key) => ({ notes: note(key), controls: [] }));
    const id = await addTakenSong(on.server.address, 8, 240, takes);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await page.keyboard.type('3 4');
    await page.keyboard.press('Enter');
    await says(page, 'What is recorded: bars 3–4');
    const by = counted(page);
    await by.key(',');
    const picked = await until(async () => {
      const { comp, takes: all } = (await readSong(on.server.address, id)).document.parts[0]!;
      const numbers = comp.map((p) => all.find((t) => t.id === p.takeId)!.number);
      return numbers.length === 3 && { numbers, from: comp[1]!.from, to: comp[1]!.to };
    });
    expect(picked).toEqual({ numbers: [2, 1, 2], from: 2 * 3840, to: 4 * 3840 });
    expect(by.count).toBe(1);
    await context.close();
  });

  it('a chorus copied to another place: one drag by its name, or one key for the bars that are selected', async () => {
    const id = await addPlayedSong(on.server.address, 8, 240, {
      bars: 16,
      sections: [
        { id: 'a', name: 'Verse', bars: 8, pattern: null },
        { id: 'b', name: 'Chorus', bars: 8, pattern: null },
      ],
    });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    const before = lineOf(await readSong(on.server.address, id));
    const chart = (await page.getByRole('application').boundingBox())!;
    await page.mouse.move(chart.x + 30, chart.y + 40);
    await page.mouse.down();
    await page.mouse.move(chart.x + 150, chart.y + 60);
    await page.mouse.move(chart.x + 110, chart.y + 40 + 74, { steps: 3 });
    await page.mouse.up();
    await page.getByText('Piano: bars 1–8 are heard from bar 9 on as well.').waitFor();
    const keysAt = (line: readonly { key: number; from: number }[], from: number, to: number) =>
      line.filter((n) => n.from >= from && n.from < to).map((n) => [n.key, n.from - from]);
    const copied = await until(async () => {
      const line = lineOf(await readSong(on.server.address, id));
      return keysAt(line, 32, 64).length === keysAt(line, 0, 32).length && line;
    });
    expect(keysAt(copied, 32, 64)).toEqual(keysAt(copied, 0, 32));
    expect(keysAt(copied, 0, 32)).toEqual(keysAt(before, 0, 32));
    await page.keyboard.press('u');
    await page.keyboard.type('1 2');
    await page.keyboard.press('Enter');
    await page.keyboard.press('Shift+V');
    await page.getByText('Piano: bars 1–2 are heard from bar 1 on as well.').waitFor();
    await context.close();
  });

  it('loop takes over a section: two', async () => {
    const { page, by, context } = await played();
    await by.key('l');
    await by.key('r');
    await state(page, 'Recording');
    await footplate(page)
      .getByText(/^Round bars 1–12, lap/)
      .waitFor();
    expect(by.count).toBe(2);
    await context.close();
  });
});
