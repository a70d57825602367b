/**
 * Two windows of one browser and one of another on the same song, each doing at random what players do: playing,
 * recording, keeping, changing, undoing, losing the network, being loaded anew. In the end all show the same song, and
 * each note is in one take or still held.
 */
import { isDeepStrictEqual } from 'node:util';
import type { BrowserContext, Browser, Page } from 'playwright-core';
import { newSong } from '../core/document/document';
import type { Seeded } from '../core/random';
import { seeded } from '../core/random';
import { launch, open, pressRecord, withKeyboard } from '../harness/browser';
import { addSong, readSong, startServer, until } from '../harness/server';
import type { OpenedSong } from '../harness/types';
import { holds, pause, search, type Counts, type Outcome, type Settings } from './search';

const STEPS = 14;
const PATIENCE_MS = 120_000;
const KEYS = 60;

/** Key and velocity of a note, together unique. */
type TimedMessage = string;
const noteOf = (n: number) => ({ key: 36 + (n % KEYS), velocity: 1 + Math.floor(n / KEYS) });
const nameOf = ({ key, velocity }: { readonly key: number; readonly velocity: number }): TimedMessage =>
  `${key} ${velocity}`;

interface Player {
  readonly context: BrowserContext;
  /** Windows, all with the player's keyboard. */
  readonly windows: readonly Page[];
  readonly struck: TimedMessage[];
  readonly random: Seeded;
  /** First number of its notes. */
  readonly first: number;
}

/** Resolves when the song is open and its keyboard is connected. */
async function ready(page: Page): Promise<void> {
  await page.locator('.footplate .state').getByText('Ready', { exact: true }).waitFor({ timeout: PATIENCE_MS });
  await until(async () => (await page.evaluate('window.midiHears')) === true, PATIENCE_MS);
}

async function press({ windows, struck, first }: Player): Promise<void> {
  const note = noteOf(first + struck.length);
  struck.push(nameOf(note));
  const down = `midiSend([0x90, ${note.key}, ${note.velocity}])`;
  const up = `setTimeout(() => midiSend([0x80, ${note.key}, 64]), 50)`;
  await Promise.all(windows.map((page) => page.evaluate(`{ ${down}; ${up}; }`)));
  await pause(30);
}

async function playAll(player: Player): Promise<void> {
  for (let n = player.random.integer(1, 4); n > 0; n -= 1) await press(player);
  // The last note is released.
  await pause(80);
}

async function pass(player: Player, page: Page): Promise<void> {
  await pressRecord(page);
  await page.locator('.footplate .state').getByText('Recording').waitFor({ timeout: PATIENCE_MS });
  await playAll(player);
  await page.keyboard.press('r');
  await ready(page);
}

async function step(player: Player): Promise<void> {
  const { random, windows, context } = player;
  const page = random.pick(windows);
  await random.pick<() => Promise<unknown>>([
    () => page.getByRole('button', { name: 'Mute Piano' }).click(),
    () => page.getByRole('button', { name: 'Solo Piano' }).click(),
    () => page.keyboard.press('u'),
    () => page.keyboard.press('u'),
    () => page.keyboard.press('y'),
    async () => {
      await page.keyboard.press('k');
      // Freely played notes are offered in a dialog.
      const dialog = page.getByRole('dialog');
      // Without any the dialog is missing.
      await dialog.waitFor({ timeout: 1500 }).catch(() => {});
      await until(async () => {
        await page.keyboard.press('Escape');
        return (await dialog.count()) === 0;
      });
    },
    () => playAll(player),
    () => playAll(player),
    () => pass(player, page),
    () => pass(player, page),
    () => context.setOffline(random.unit() < 0.5),
    async () => {
      // Errors of loading without a server are expected here.
      await context.setOffline(false);
      await page.reload();
      await ready(page);
    },
  ])();
  await pause(random.integer(0, 200));
}

async function plays(player: Player): Promise<void> {
  for (let n = 0; n < STEPS; n += 1) await step(player);
  await player.context.setOffline(false);
}

/** Notes that look-back has buffered in a browser. */
async function heldBy({ windows }: Player): Promise<Set<TimedMessage>> {
  const events = (await windows[0]!.evaluate(`new Promise((done, failed) => {
    const asked = indexedDB.open('tall-kettle');
    asked.onerror = () => failed(asked.error);
    asked.onsuccess = () => {
      const all = asked.result.transaction('held').objectStore('held').getAll();
      all.onsuccess = () => { asked.result.close(); done(all.result.flat().map((e) => e.message)); };
    };
  })`)) as { type: string; key: number; velocity: number }[];
  return new Set(events.filter((m) => m.type === 'noteOn').map(nameOf));
}

function takenIn(song: OpenedSong): Map<TimedMessage, number> {
  const inTakes = new Set(song.document.parts.flatMap((p) => p.takes).flatMap((t) => t.layers));
  const times = new Map<TimedMessage, number>();
  for (const { header, events } of song.layers)
    if (inTakes.has(header.id))
      for (const { message } of events)
        if (message.type === 'noteOn') times.set(nameOf(message), (times.get(nameOf(message)) ?? 0) + 1);
  return times;
}

/** First difference of two documents, with both values; null where they are equal. */
function differenceOf(shown: unknown, there: unknown, path = ''): string | null {
  if (isDeepStrictEqual(shown, there)) return null;
  const [a, b] = [shown, there] as Record<string, unknown>[];
  const deeper = [a, b].every((o) => typeof o === 'object' && o !== null);
  const name =
    deeper && [...new Set([...Object.keys(a!), ...Object.keys(b!)])].find((k) => !isDeepStrictEqual(a![k], b![k]));
  if (name) return differenceOf(a![name], b![name], `${path}/${name}`);
  return `${path} is ${JSON.stringify(shown)?.slice(0, 200)}, there ${JSON.stringify(there)?.slice(0, 200)}`;
}

async function one(browser: Browser, address: string, random: Seeded): Promise<Counts> {
  const plain = newSong('Lamps', 'piano');
  const brief = { ...plain.brief, countOffBars: 0 };
  const id = await addSong(address, { tempo: [{ tick: 0, bpm: 240 }], bars: 32, brief });
  const path = `/songs/${id}/play`;
  const errors: string[] = [];
  const enter = async (windows: number, first: number): Promise<Player> => {
    const opened = await open(browser, address, path, withKeyboard);
    const pages = [opened.page];
    for (let n = 1; n < windows; n += 1) {
      const page = await opened.context.newPage();
      await page.goto(path);
      pages.push(page);
    }
    for (const page of pages) {
      page.on('pageerror', (error) => errors.push(error.message));
      await ready(page);
    }
    return { context: opened.context, windows: pages, struck: [], random: seeded(random.integer(1, 1e9)), first };
  };
  const players = [await enter(2, 0), await enter(1, 3000)];
  const pages = players.flatMap((p) => p.windows);
  try {
    await Promise.all(players.map(plays));
    // Changes that could not be made on the other's are set aside, and reported.
    for (const page of pages) await page.getByText(/All kept|The rest is kept/).waitFor({ timeout: PATIENCE_MS });
    const documentOf = (page: Page): Promise<unknown> => page.evaluate('tallKettle.document()');
    const differences = async () => {
      const there = await readSong(address, id);
      const shown = await Promise.all(pages.map(documentOf));
      return { there, differ: shown.map((document) => differenceOf(document, there.document)) };
    };
    const song = await until(async () => {
      const { there, differ } = await differences();
      return differ.every((difference) => difference === null) && there;
    }, PATIENCE_MS).catch(async () => {
      const { there, differ } = await differences();
      const at = await Promise.all(pages.map((page) => page.evaluate('tallKettle.revision()')));
      const said = await Promise.all(pages.map((page) => page.locator('.notice').allInnerTexts()));
      const how = differ
        .map((difference, n) => `window ${n + 1} in ${at[n]}: ${difference ?? 'as there'} (${said[n]!.join(' ')})`)
        .join('; ');
      const also = errors.length > 0 ? `; errors on the page: ${errors.join('; ')}` : '';
      throw new Error(`the windows do not show the song as it is in revision ${there.revision}: ${how}${also}`);
    });
    holds(
      song.layers.every((l) => l.closing),
      () => 'a layer is open',
    );
    const taken = takenIn(song);
    const nameOfLayer = ({ header }: (typeof song.layers)[number]) => `${header.id.slice(0, 8)} of ${header.from}`;
    const inTakes = song.document.parts.flatMap((p) => p.takes.flatMap((t) => t.layers));
    const where = (name: TimedMessage): string =>
      song.layers
        .filter(({ header }) => inTakes.includes(header.id))
        .filter(({ events }) => events.some(({ message }) => message.type === 'noteOn' && nameOf(message) === name))
        .map(nameOfLayer)
        .join(', ');
    const history = [...song.stacks.done.map((r) => r.name), '|', ...song.stacks.undone.map((r) => r.name)].join(' ');
    for (const player of players) {
      const held = await heldBy(player);
      for (const name of player.struck) {
        holds(
          (taken.get(name) ?? 0) <= 1,
          () => `note ${name} is in ${taken.get(name)} places: ${where(name)}; ${history}`,
        );
        holds(taken.has(name) || held.has(name), () => `note ${name} is nowhere`);
      }
    }
    holds(errors.length === 0, () => errors.join(' | '));
    return {
      runs: 1,
      notes: players.reduce((n, p) => n + p.struck.length, 0),
      'in takes': taken.size,
      changes: song.revision,
    };
  } finally {
    for (const { context } of players) await context.close();
  }
}

export async function windows(settings: Settings): Promise<Outcome> {
  const running = await startServer();
  const browser = await launch();
  try {
    return await search(settings, (random) => one(browser, running.address, random), 2);
  } finally {
    await browser.close();
    await running.end();
  }
}
