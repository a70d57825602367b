import { createRequire } from 'node:module';
import { readFileSync } from 'node:fs';
import type { AxeResults } from 'axe-core';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { launch, open, withKeyboard, type Opened } from '../harness/browser';
import { midiFile } from '../harness/files';
import { startServer, type Running } from '../harness/server';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

let browser: Browser;
let server: Running;
let empty: Running;
beforeAll(async () => {
  browser = await launch();
  server = await startServer(true);
  empty = await startServer();
});
afterAll(async () => {
  await browser.close();
  await server.end();
  await empty.end();
});

/** Faults that the accessibility checker finds: rule, elements, explanation. */
async function violations(page: Page): Promise<string[]> {
  if (!(await page.evaluate('"axe" in window'))) await page.evaluate(axe);
  const { violations: found } = (await page.evaluate('axe.run(document)')) as AxeResults;
  return found.flatMap(({ id, help, nodes }) =>
    nodes.map((n) => `${id}: ${help}: ${n.target.join(' ')}: ${n.failureSummary?.split('\n')[1]?.trim() ?? ''}`),
  );
}

/** State of the page that some keys and clicks lead to. */
type Look = readonly [what: string, there: (page: Page) => Promise<unknown>];
const button = (name: string | RegExp) => (page: Page) =>
  page.getByRole('button', { name, exact: true }).first().click();
const tab = (name: string) => (page: Page) => page.getByRole('tab', { name }).click();
const phrase = (control: string) => (page: Page) => page.locator(`[data-control=${control}]`).first().click();
const close = async (page: Page): Promise<void> => {
  await page.keyboard.press('Escape');
  await page.locator('.v-overlay--active').waitFor({ state: 'detached' });
};

/** Resolves when no request has been under way for a moment, but for the feed of changes. */
async function answered(page: Page): Promise<void> {
  const asked = (): Promise<number> => page.evaluate(`performance.getEntriesByType('resource').length`);
  for (let before = -1, now = await asked(); before !== now; now = await asked()) {
    before = now;
    await new Promise((done) => setTimeout(done, 400));
  }
}

async function lookAt({ page, errors }: Opened, looks: readonly Look[]): Promise<void> {
  const found: string[] = [];
  for (const [what, there] of looks) {
    await there(page);
    // Dialogs open without a transition; data has arrived when no request is under way.
    await answered(page);
    found.push(...(await violations(page)).map((violation) => `${what}: ${violation}`));
  }
  expect(found).toEqual([]);
  expect(errors).toEqual([]);
}

const ready = (page: Page) => page.getByText('Ready', { exact: true }).waitFor();
const made = async (page: Page): Promise<void> => {
  await page.getByRole('button', { name: 'Make the files' }).click();
  await page.getByRole('button', { name: 'Hand over as a zip' }).waitFor();
};

const writtenPart = (page: Page) => page.getByRole('tab', { name: 'Written part' }).click();

describe('people and programs that read the page', () => {
  it('find the Desk in order: busy, empty, with its forms and menus', async () => {
    const bare = await open(browser, empty.address);
    await lookAt(bare, [
      ['an empty desk', (page) => page.getByText('An empty desk').waitFor()],
      ['the form for a job', button('Take on a job')],
    ]);
    await bare.context.close();
    const desk = await open(browser, server.address);
    await lookAt(desk, [
      ['the desk', (page) => page.getByText('Marsh Light, series two').waitFor()],
      [
        'the backups',
        async (page) => {
          await button('Backups and disk')(page);
          await page.getByRole('button', { name: 'Back up now' }).click();
          await page.getByRole('group', { name: 'Backups by age' }).getByRole('button').click();
          await page.getByRole('button', { name: 'Bring back the whole desk' }).waitFor();
        },
      ],
      [
        'a job’s menu',
        (page) =>
          close(page).then(() =>
            page
              .getByRole('button', { name: /^More for/ })
              .first()
              .click(),
          ),
      ],
      ['what is put away', (page) => close(page).then(() => button('Put away')(page))],
    ]);
    await desk.context.close();
  });

  it('find Play in order, with each thing that its sentence opens', async () => {
    const opened = await open(browser, server.address, '/songs/orchard-gate/play', withKeyboard);
    const controls = ['count', 'mode', 'part', 'where', 'keyboard', 'early', 'placement', 'quantize'];
    await lookAt(opened, [
      ['Play', ready],
      ...controls.map((control): Look => [
        `the brief’s ${control}`,
        async (page) => {
          if (control !== controls[0]) await close(page);
          await phrase(control)(page);
        },
      ]),
      ['a loop', (page) => close(page).then(() => page.keyboard.press('l'))],
      ['laps', phrase('laps')],
      ['a new part', (page) => close(page).then(() => button('Add a part')(page))],
      [
        'look-back',
        (page) =>
          close(page).then(() =>
            page
              .getByRole('button', { name: /look-back/i })
              .first()
              .click(),
          ),
      ],
    ]);
    await opened.context.close();
  });

  it('find what the server would not have in order', async () => {
    const opened = await open(browser, server.address, '/songs/night-ferry/play');
    const why = { status: 422, json: { message: 'It did not fit the song.' } };
    await opened.page.route('**/changes', (route) => route.fulfill(why));
    await lookAt({ ...opened, errors: [] }, [
      [
        'what is not kept',
        async (page) => {
          await page
            .getByRole('button', { name: /^Mute / })
            .first()
            .click();
          await page.getByRole('button', { name: 'Not kept: 1' }).click();
          await page.getByRole('dialog', { name: 'Not kept' }).waitFor();
        },
      ],
    ]);
    await opened.context.close();
  });

  it('find Set up in order, each of its sheets, and what it asks before the tempo moves under takes', async () => {
    const opened = await open(browser, server.address, '/songs/orchard-gate/set-up');
    await lookAt(opened, [
      ['backings', ready],
      ['sections', tab('Sections')],
      ['click', tab('Click')],
      ['tempo', tab('Tempo and meter')],
      [
        'the question about takes',
        async (page) => {
          await page.getByLabel(/^Tempo from 1/).fill('97');
          await page.keyboard.press('Enter');
          await page.getByRole('dialog', { name: 'Takes on the old tempo' }).waitFor();
        },
      ],
    ]);
    await opened.context.close();
    const offered = await open(browser, server.address, '/songs/orchard-gate/set-up');
    await lookAt(offered, [
      [
        'what to take from a MIDI file',
        async (page) => {
          await page.locator('.backings input[type=file]').setInputFiles([midiFile('Sketch.mid')]);
          await page.getByRole('dialog', { name: 'What to take from Sketch' }).waitFor();
        },
      ],
    ]);
    await offered.context.close();
    const found = await open(browser, server.address, '/songs/slow-tide/set-up');
    await lookAt(found, [
      [
        'found beats',
        async (page) => {
          await button('Find the beats')(page);
          await page.getByText(/^\d+ beats, /).waitFor();
        },
      ],
    ]);
    await found.context.close();
  });

  it('find Pick in order: a part with takes, with its menus and dialogs, and one without', async () => {
    const opened = await open(browser, server.address, '/songs/night-ferry/pick');
    await lookAt(opened, [
      ['Pick', (page) => page.getByRole('application', { name: /^Takes of/ }).waitFor()],
      ['a suggestion', button('Suggest a comp')],
      ['a take', button('Take 4: what to do with it')],
      ['the take sheet', (page) => close(page).then(() => button('Take sheet')(page))],
      ['two compared', (page) => close(page).then(() => button('Two, compared')(page))],
      [
        'a part with no takes',
        async (page) => {
          await close(page);
          await page.getByRole('region', { name: 'The line' }).getByRole('button', { name: 'Felt piano' }).click();
          await page.getByRole('dialog', { name: 'Parts' }).getByText('Strings').click();
          await page.getByText('Strings has no takes yet').waitFor();
        },
      ],
    ]);
    await opened.context.close();
  });

  it('find a part’s own menus in order', async () => {
    const opened = await open(browser, server.address, '/songs/night-ferry/play');
    await lookAt(opened, [
      ['what a part is', button('Felt piano: name, colour, place')],
      ['its sound', (page) => close(page).then(() => button('Felt piano’s sound: Felt piano')(page))],
    ]);
    await opened.context.close();
  });

  it('find Line check, Tidy and Hand over in order', async () => {
    const opened = await open(browser, server.address, '/songs/orchard-gate/line-check', withKeyboard);
    await lookAt(opened, [
      ['the chain', ready],
      ['latency', tab('Latency')],
      ['levels', tab('Levels')],
      ['hands-free', tab('Hands-free')],
      ['Tidy', (page) => page.keyboard.press('Shift+Digit5')],
      ['a treatment', button('Quantize these bars')],
      ['swing', button('Swing straight')],
      ['a feel', button('Feel none')],
      ['recipes', button('Recipes')],
      ['closed', close],
      ['notes that need an ear', tab('Your ear')],
      ['changes by hand', tab('By hand')],
      ['ways to select', button('Select')],
      ['closed', close],
      ['the controllers', button('Controllers')],
      ['closed', close],
      ['the list', button('List')],
      ['quick mends', tab('Mends')],
      ['bars', button('Bars')],
      ['closed', close],
      ['Hand over', (page) => page.keyboard.press('Shift+Digit6')],
      ['what of the parts goes out', button(/^Parts that go out/)],
      ['the MIDI files', (page) => close(page).then(() => button(/^MIDI files/)(page))],
      ['the audio files', (page) => close(page).then(() => button(/^Audio files/)(page))],
      ['the key', (page) => close(page).then(() => button(/^Key of the song/)(page))],
      ['what goes with them', (page) => close(page).then(() => button(/^What goes with them/)(page))],
      ['the names', (page) => close(page).then(() => button(/^How files are named/)(page))],
      ['clients', (page) => close(page).then(() => button('Clients')(page))],
      ['a reason', (page) => close(page).then(() => button('Accept')(page))],
      ['files that are made', made],
    ]);
    await opened.context.close();
  });

  it('find every station in order with the lights down, and what lies over it', async () => {
    const opened = await open(browser, server.address, '/songs/night-ferry/play', async (context) => {
      await withKeyboard(context);
      await context.addInitScript(`localStorage.setItem('tall-kettle light', 'night')`);
    });
    const to = (station: number) => (page: Page) => page.keyboard.press(`Shift+Digit${station}`);
    await lookAt(opened, [
      ['Play', ready],
      ['the ways to record', phrase('mode')],
      ['the stand', (page) => close(page).then(() => page.keyboard.press('s'))],
      ['the keys', (page) => page.keyboard.press('Escape').then(() => page.keyboard.press('?'))],
      ['the Desk', (page) => close(page).then(() => to(1)(page))],
      ['Line check', to(2)],
      ['Pick', to(4)],
      ['the client’s notes', (page) => page.keyboard.press('Shift+N')],
      ['Tidy', (page) => page.keyboard.press('Escape').then(() => to(5)(page))],
      ['a treatment', button('Quantize these bars')],
      ['Hand over', to(6)],
      ['the written part', (page) => page.goto('/songs/slow-tide/set-up').then(() => writtenPart(page))],
    ]);
    await opened.context.close();
  });

  it('have everything in reach at twice the size, without a pointer', async () => {
    const stations = ['play', 'set-up', 'line-check', 'tidy', 'hand-over'].map((s) => `/songs/orchard-gate/${s}`);
    const opened = await open(browser, server.address);
    const { page, context, errors } = opened;
    // At twice the zoom the page has half the room.
    await page.setViewportSize({ width: 640, height: 400 });
    for (const path of ['/', ...stations]) {
      await page.goto(path);
      await answered(page);
      const [wide, high] = (await page.evaluate(
        '[document.documentElement.scrollWidth, document.documentElement.scrollHeight]',
      )) as [number, number];
      expect(wide, path).toBeLessThanOrEqual(640);
      // Content that does not fit can be scrolled to.
      await page.evaluate(`window.scrollTo(0, ${high})`);
      expect(await page.evaluate('Math.ceil(window.scrollY + window.innerHeight)'), path).toBeGreaterThanOrEqual(high);
    }
    await page.goto(stations[0]!);
    await ready(page);
    const focused = () => page.evaluate('document.activeElement?.dataset.control ?? ""');
    for (let i = 0; i < 40 && (await focused()) !== 'count'; i += 1) await page.keyboard.press('Tab');
    expect(await focused()).toBe('count');
    // Space would play, so a hint says which key presses the focused button.
    expect(await page.locator('kbd.hint').innerText()).toBe('Enter');
    await page.keyboard.press('Enter');
    await page.getByRole('dialog', { name: 'Count-off' }).waitFor();
    await close(page);
    await page.keyboard.press('r');
    await page.getByText(/^Counting off/).waitFor();
    await page.keyboard.press('r');
    await ready(page);
    expect(errors).toEqual([]);
    await context.close();
  });
});
