/**
 * A song with sixteen stems, opened again and again, every third time left in the middle of it: all its sound comes
 * each time, and the server keeps no file open behind those who left.
 */
import { readdirSync } from 'node:fs';
import type { Browser } from 'playwright-core';
import type { Seeded } from '../core/random';
import { newBacking, type Backing } from '../core/document/backing';
import { launch, open, withKeyboard, type Opened } from '../harness/browser';
import { steadyBeats, wavOfBeats } from '../harness/files';
import { addSong, startServer, until, type Running } from '../harness/server';
import { pause, search, type Counts, type Outcome, type Settings } from './search';

const STEMS = 16;
const LENGTH_SECONDS = 6;
/** Time that only a hang takes, on any machine. */
const PATIENCE_MS = 120_000;
/** Number of openings on one page, before a new page is used. */
const IN_A_RUN = 10;
const MOST_FILES_LEFT = 16;

async function songOfStems(address: string): Promise<string> {
  const backings: Backing[] = [];
  for (let n = 0; n < STEMS; n += 1) {
    const { buffer } = wavOfBeats('x', steadyBeats(100 + n, 8), LENGTH_SECONDS);
    const sent = await fetch(`${address}/api/audio`, { method: 'POST', body: Uint8Array.from(buffer) });
    const { hash } = (await sent.json()) as { hash: string };
    backings.push(newBacking({ id: `stem ${n}`, name: `Stem ${n}`, audio: hash, gainDb: -12, length: LENGTH_SECONDS }));
  }
  return addSong(address, { bars: 8, backings });
}

/** Number of complete sounds, by the browser's own count. */
const cameIn = ({ page }: Opened): Promise<number> =>
  page.evaluate(`performance.getEntriesByType('resource')
    .filter((e) => /api\\/audio\\/[0-9a-f]+$/.test(e.name) && e.responseEnd).length`);

const filesOf = ({ pid }: Running): number => readdirSync(`/proc/${pid()}/fd`).length;

/** A page that is left in mid-loading sometimes cannot be loaded again at once. */
async function loadedAnew({ page }: Opened): Promise<void> {
  const load = () => page.reload({ waitUntil: 'commit' });
  await load().catch(async (error: unknown) => {
    if (!String(error).includes('Not attached to an active page')) throw error;
    await pause(500);
    await load();
  });
}

async function one(browser: Browser, running: Running, id: string, random: Seeded): Promise<Counts> {
  const opened = await open(browser, running.address, `/songs/${id}/play`, withKeyboard);
  let left = 0;
  try {
    for (let n = 0; n < IN_A_RUN; n += 1) {
      if (n > 0) await loadedAnew(opened);
      if (random.unit() < 1 / 3) {
        left += 1;
        await pause(random.integer(0, 1500));
        continue;
      }
      await until(async () => (await cameIn(opened)) >= STEMS, PATIENCE_MS).catch(async () => {
        throw new Error(`only ${await cameIn(opened)} of ${STEMS} stems came`);
      });
    }
    return { openings: IN_A_RUN, 'left in the middle': left };
  } finally {
    await opened.context.close();
  }
}

export async function stems(settings: Settings): Promise<Outcome> {
  const running = await startServer();
  const browser = await launch();
  try {
    const id = await songOfStems(running.address);
    const before = filesOf(running);
    const outcome = await search(settings, (random) => one(browser, running, id, random), 2);
    // Sounds that are missing now are a leak, reported below.
    const kept = await until(async () => {
      const more = filesOf(running) - before;
      return more <= MOST_FILES_LEFT && { more };
    }, PATIENCE_MS).catch(() => undefined);
    const leak = kept ? [] : [`the server has ${filesOf(running) - before} files more open than before`];
    return { ...outcome, faults: [...outcome.faults, ...leak] };
  } finally {
    await browser.close();
    await running.end();
  }
}
