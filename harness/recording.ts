import type { Browser, BrowserContext } from 'playwright-core';
import type { Page } from 'playwright-core';
import { choose, pressRecord } from './browser';
import { openTimed, type Timed } from './clock/time';
import { readSong, until } from './server';
import type { OpenedSong } from './types';

/** Note of the Bench keyboard, as noticed outside the page. */
interface TimedMessage {
  /** Page time in milliseconds. */
  readonly at: number;
  /** Machine time at which it was noticed. */
  readonly told: number;
}
const watched =
  (struck: TimedMessage[]) =>
  async (context: BrowserContext): Promise<void> => {
    await context.exposeFunction('tellNote', (at: number) => {
      struck.push({ at, told: performance.now() });
    });
  };
/** Time within which a note is stored whatever crashes, on a machine that keeps up. */
const KEPT_WITHIN_MS = 250;
/** Real time for the browser's work between two moves of the clock. */
const settle = (): Promise<void> => new Promise((done) => setTimeout(done, 600));

export const openSound = (page: Page): Promise<void> => page.getByRole('button', { name: /^Piano’s sound/ }).click();
/** Records the simulated outside instrument beside the keys. */
export async function withInstrument(page: Page): Promise<void> {
  await openSound(page);
  await choose(page, 'Input of Piano', 'Bench instrument');
  await page.getByRole('meter', { name: 'Level of Bench instrument, dBFS' }).waitFor();
  await page.keyboard.press('Escape');
}

export interface Recording extends Timed {
  /**
   * Number of notes that are old enough to survive a crash now, by the page's clock, which a test can move faster than
   * the machine writes, and by the machine's.
   */
  readonly due: () => Promise<number>;
  readonly struck: () => Promise<number>;
  /** Place in the song half a second ago, in seconds. */
  readonly dueSound: () => Promise<number>;
}

/** Pass played by the Bench keyboard for some seconds. @param sounds true to record an instrument's sound */
export async function recordFor(
  browser: Browser,
  address: string,
  id: string,
  seconds: number,
  busy = false,
  sounds = false,
): Promise<Recording> {
  const struck: TimedMessage[] = [];
  const opened = await openTimed(browser, address, `/songs/${id}/play`, { init: watched(struck) });
  const { page, time } = opened;
  await page.locator('[data-control=keyboard]').click();
  await page.getByLabel('Bench keyboard on').setChecked(true);
  await page.keyboard.press('Escape');
  if (sounds) await withInstrument(page);
  await page.evaluate(
    `tallKettle.bench.listen(({ data, timeStamp }) => { if (data[0] === 0x90) tellNote(timeStamp); })`,
  );
  await time.roll(() => pressRecord(page));
  const from = await time.of(0);
  if (busy)
    await page.evaluate(`for (let at = ${from}; at < ${from} + 60e3; at += 80) standIn.busy.push({ at, for: 60 })`);
  await time.to(seconds);
  await settle();
  let last = await time.now();
  return {
    ...opened,
    struck: async () => struck.length,
    dueSound: async () => ((await time.now()) - from) / 1000 - 0.5,
    due: async () => {
      const asked = performance.now();
      // The page was killed right after it was asked.
      last = await time.now().catch(() => last);
      const answer = performance.now() - asked;
      const writes = performance.now() - KEPT_WITHIN_MS - answer;
      return struck.filter(({ at, told }) => at < last - KEPT_WITHIN_MS && told < writes).length;
    },
  };
}

/** Number of notes in a song's layers. */
export const notesIn = (song: OpenedSong): number =>
  song.layers.flatMap((l) => l.events).filter((e) => e.message.type === 'noteOn').length;

/** Song once the recorded pass is a take of its first part, and nothing of it is open. */
export const onceTaken = (address: string, id: string): Promise<OpenedSong> =>
  until(async () => {
    const song = await readSong(address, id);
    return song.document.parts[0]!.takes.length === 1 && song.layers.every((l) => l.closing) && song;
  });
