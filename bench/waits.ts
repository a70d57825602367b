import { longestStall, WATCH_STALLS } from './stalls';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { newSong } from '../core/document/document';
import { newPart } from '../core/document/part';
import type { Note, Reading } from '../core/performance/notes';
import { BAR_STATES } from '../core/reading/barStates';
import { seeded } from '../core/random';
import { launch, open } from '../harness/browser';
import { addPlayedSong, addTakenSong } from '../harness/played';
import { addSong, startServer, until } from '../harness/server';
import { freePort, serve } from '../scripts/lib.mjs';
import { openDatabase } from '../server/store/database';
import { addJob, readJobs } from '../server/store/jobs';
import { addSong as storeSong } from '../server/store/songs';
import { quantile, under, type Figure } from './figure';
import { heardAndDrawn } from './heard';
import { timeToOpen } from './opening';
import { sized } from './sizes';

const AREA = 'waits';
const BARS = 200;
const NOTES = sized(10_000, 1000);
const BPM = 112;
const BAR = 3840;
const PAIRS = sized(5, 1);
const SECONDS = sized(6, 1);

/** Take of ten thousand notes in chords of five, each a little off its place. */
function longTake(seed: number): Reading {
  const random = seeded(seed);
  const notes = Array.from({ length: NOTES }, (_, i): Note => {
    const place = Math.floor(i / 5) * ((BARS * BAR) / (NOTES / 5));
    const start = Math.max(0, Math.round(place + random.normal(20)));
    const key = 36 + 12 * (i % 5) + (Math.floor(i / 5) % 12);
    return { id: `n${i}`, key, velocity: 40 + random.integer(0, 60), release: 64, start, end: start + 300 };
  });
  return { notes: notes.sort((a, b) => a.start - b.start), controls: [] };
}

/** Processor time of all of a browser's processes so far, in seconds. */
async function processorSeconds(browser: Browser): Promise<number> {
  const session = await browser.newBrowserCDPSession();
  const { processInfo } = await session.send('SystemInfo.getProcessInfo');
  await session.detach();
  return processInfo.reduce((all, p) => all + p.cpuTime, 0);
}

/** Share of a core that the browser takes over some seconds, in percent. */
async function busyShare(browser: Browser): Promise<number> {
  const [was, began] = [await processorSeconds(browser), performance.now()];
  await new Promise((wait) => setTimeout(wait, SECONDS * 1000));
  return (100 * ((await processorSeconds(browser)) - was)) / ((performance.now() - began) / 1000);
}

/** Time from a click on a station until it is drawn, in milliseconds. @param drawn CSS selector of what is drawn */
const timeToStation = (page: Page, href: string, drawn: string): Promise<number> =>
  page.evaluate(`new Promise((done) => {
    const began = performance.now();
    document.querySelector('a[href="${href}"]').click();
    const look = () => {
      if (document.querySelector('${drawn}')?.width > 300) requestAnimationFrame(() => done(performance.now() - began));
      else requestAnimationFrame(look);
    };
    look();
  })`) as Promise<number>;

const DRAWN = { play: '.chart canvas', tidy: '.roll canvas', pick: '.lanes canvas' } as const;

/** Times for opening a song, and for Tidy and Pick. */
async function stationTimes(browser: Browser, address: string, id: string, says: string) {
  const { page, context } = await open(browser, address);
  try {
    const opens = await timeToOpen(page, id, says);
    await page.waitForTimeout(1000);
    const tidy = await timeToStation(page, `/songs/${id}/tidy`, DRAWN.tidy);
    await page.waitForTimeout(1000);
    const pick = await timeToStation(page, `/songs/${id}/pick`, DRAWN.pick);
    return { opens, tidy, pick };
  } finally {
    await context.close();
  }
}

async function openingFigures(browser: Browser, address: string, long: string, empty: string): Promise<Figure[]> {
  const ratios: { opens: number; tidy: number; pick: number }[] = [];
  for (let i = 0; i < PAIRS; i += 1) {
    const alone = await stationTimes(browser, address, empty, 'Piano');
    const full = await stationTimes(browser, address, long, `${NOTES} notes`);
    if (process.env.SHOW) console.error(alone, full);
    const { opens, tidy, pick } = full;
    ratios.push({ opens: opens / alone.opens, tidy: tidy / alone.tidy, pick: pick / alone.pick });
  }
  const middle = (of: 'opens' | 'tidy' | 'pick') =>
    quantile(
      ratios.map((r) => r[of]),
      0.5,
    );
  const name = `${BARS} bars, three takes of ${NOTES} notes, against a song of as many notes as fingers:`;
  return [
    under(AREA, `${name} opens`, middle('opens'), 'times', 1.5),
    under(AREA, `${name} Tidy`, middle('tidy'), 'times', 2),
    under(AREA, `${name} Pick`, middle('pick'), 'times', 2),
  ];
}

async function rollFigures(browser: Browser, address: string, id: string): Promise<Figure[]> {
  const { page, context } = await open(browser, address, `/songs/${id}/tidy`);
  try {
    await page.getByRole('application', { name: /^Piano roll/ }).waitFor();
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.keyboard.press(' ');
    await page.getByText('Playing', { exact: true }).waitFor();
    await page.locator('.roll').press('ArrowRight');
    const presses = Array.from({ length: 7 }, (_, i) => ({ on: '.roll', key: i % 2 ? 'ArrowDown' : 'ArrowUp' }));
    const edited = await heardAndDrawn(
      page,
      presses.map((p) => ({ ...p, ctrlKey: true })),
      1500,
    );
    await page.keyboard.press(' ');
    await page.getByText('Ready', { exact: true }).waitFor();
    if (process.env.SHOW) console.error('edited', edited);
    await page.evaluate(WATCH_STALLS);
    const began = performance.now();
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    await page.getByText(/of the way to/).waitFor();
    await page.waitForFunction('window.stalls.length >= 0');
    const treated = performance.now() - began;
    await page.waitForTimeout(2000);
    const still = await longestStall(page);
    return [
      under(AREA, 'a change by hand in its roll, seen and heard, middle', quantile(edited, 0.5), 'ms', 100),
      under(AREA, 'all of it treated, seen', treated / 1000, 's', 1),
      under(AREA, 'the page stands still meanwhile for at most', still, 'ms', 50),
    ];
  } finally {
    await context.close();
  }
}

/**
 * Opens audio with one node that renders nothing: the browser's own price for a page whose keys sound at once, which no
 * page that plays can go below.
 */
const IDLE_AUDIO = `(async () => {
  const code = 'registerProcessor("idle", class extends AudioWorkletProcessor { process() { return true; } })';
  const context = new AudioContext({ latencyHint: 'interactive' });
  await context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })));
  new AudioWorkletNode(context, 'idle').connect(context.destination);
})()`;

async function idleFigures(browser: Browser, address: string): Promise<Figure[]> {
  const shares: Record<string, number> = {};
  const song = await addPlayedSong(address, 16, 112);
  const take = async (name: string, path: string, does: (page: Page) => Promise<void>) => {
    const { page, context } = await open(browser, address, path);
    await does(page);
    await page.waitForTimeout(3000);
    shares[name] = await busyShare(browser);
    await context.close();
  };
  await take('blank', 'about:blank', () => Promise.resolve());
  await take('sounding', '/api/alive', (page) => page.evaluate(IDLE_AUDIO) as Promise<void>);
  await take('desk', '/', async (page) =>
    page
      .getByRole('link', { name: /Trial song/ })
      .first()
      .waitFor(),
  );
  const ready = (page: Page) => page.getByText('Ready', { exact: true }).waitFor();
  await take('play', `/songs/${song}/play`, ready);
  await take('playing', `/songs/${song}/play`, async (page) => {
    await ready(page);
    await page.keyboard.press(' ');
    await page.getByText('Playing', { exact: true }).waitFor();
  });
  if (process.env.SHOW) console.error(shares);
  return [
    under(AREA, 'nothing rolls: Desk, share of a core', shares.desk! - shares.blank!, '%', 2),
    under(AREA, 'nothing rolls: Play, share of a core over idle audio', shares.play! - shares.sounding!, '%', 2),
    under(AREA, 'the song plays: share of a core over idle audio', shares.playing! - shares.sounding!, '%', 30),
  ];
}

const SHOWN_BARS = 110;
/** Desk of many songs with known summaries, with some of each part recorded. */
async function fillDesk(folder: string, songs: number): Promise<void> {
  const db = await openDatabase(folder);
  for (let i = 0; i < songs; i += 1) {
    const job = `job ${Math.floor(i / 3)}`;
    if (i % 3 === 0) {
      const facts = { title: `Marsh Light ${i / 3 + 1}`, client: 'Reed Radio', due: null, notes: '' };
      await addJob(db, { id: job, ...facts }, `2026-01-01T00:00:${String(i % 60).padStart(2, '0')}.000Z`);
    }
    const parts = ['Piano', 'Organ', 'Strings'].map((name, n) => newPart({ id: `p${n}`, name }, n));
    const document = { ...newSong(`Scene ${i + 1}`, 'p0'), bars: SHOWN_BARS, parts };
    await storeSong(db, `song ${i}`, job, document);
  }
  await readJobs(db);
  await until(async () => ((await db('song_summaries').count('* as n'))[0] as { n: number }).n === songs);
  // Cached summaries with eleven bars in each state.
  const bars = Array.from({ length: SHOWN_BARS / 11 }, (_, n) => ({ state: BAR_STATES[n % 5], bars: 11 }));
  for (const row of (await db('song_summaries')) as { song_id: string; summary: string }[]) {
    const kept = JSON.parse(row.summary) as { parts: object[] };
    const summary = JSON.stringify({ ...kept, parts: kept.parts.map((part) => ({ ...part, takes: 3, bars })) });
    await db('song_summaries').where({ song_id: row.song_id }).update({ summary });
  }
  await db.destroy();
}

/** Times of a Desk of many songs, and its number of elements. */
async function deskOf(browser: Browser, songs: number) {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-desk-'));
  await fillDesk(folder, songs);
  const { child, address } = await serve(folder, await freePort(), { stdio: 'ignore' });
  try {
    const began = performance.now();
    await (await fetch(`${address}/api/jobs`)).arrayBuffer();
    const first = performance.now() - began;
    const { page, context } = await open(browser, address, 'about:blank');
    const opens = performance.now();
    await page.goto(address);
    await page
      .getByRole('region', { name: /^Marsh Light/ })
      .first()
      .waitFor();
    const shown = performance.now() - opens;
    const elements = (await page.evaluate(`document.querySelectorAll('*').length`)) as number;
    // Requests made after the page is shown are not measured here.
    await page.waitForTimeout(3000);
    await page.getByRole('textbox', { name: 'Look for' }).focus();
    const letters: number[] = [];
    for (const letter of ['s', 'c', 'e', 'n', 'e'])
      letters.push(
        (await page.evaluate(`new Promise((done) => {
          const field = document.activeElement;
          const began = performance.now();
          field.value += '${letter}';
          field.dispatchEvent(new InputEvent('input', { bubbles: true }));
          requestAnimationFrame(() => setTimeout(() => done(performance.now() - began)));
        })`)) as number,
      );
    await context.close();
    if (process.env.SHOW) console.error({ first, shown, elements, letters });
    return { first, shown, elements, letter: quantile(letters, 0.5) };
  } finally {
    child.kill('SIGKILL');
    rmSync(folder, { recursive: true, force: true });
  }
}
async function deskFigures(browser: Browser): Promise<Figure[]> {
  const [few, many, more] = [await deskOf(browser, 3), await deskOf(browser, 600), await deskOf(browser, 3000)];
  const name = 'the Desk of 600 songs:';
  return [
    under(AREA, `${name} first answer after a start of the server`, many.first / 1000, 's', 0.3),
    under(AREA, `${name} shown, longer than one of three songs`, (many.shown - few.shown) / 1000, 's', 1),
    under(AREA, `${name} a letter typed in the search, middle`, many.letter, 'ms', 50),
    under(AREA, `${name} elements`, many.elements, '', 3000),
    under(AREA, 'the Desk of 3000 songs: elements', more.elements, '', 3000),
  ];
}

export async function waitFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const long = await addTakenSong(server.address, BARS, BPM, [1, 2, 3].map(longTake));
    const empty = await addSong(server.address);
    const which = process.env.WAITS ?? 'openings roll desk idle';
    return [
      ...(which.includes('openings') ? await openingFigures(browser, server.address, long, empty) : []),
      ...(which.includes('roll') ? await rollFigures(browser, server.address, long) : []),
      ...(which.includes('desk') ? await deskFigures(browser) : []),
      ...(which.includes('idle') ? await idleFigures(browser, server.address) : []),
    ];
  } finally {
    await browser.close();
    await server.end();
  }
}
