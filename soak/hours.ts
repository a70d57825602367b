/**
 * A pass of two hours on a clock of its own, with a minute in which the keyboard sends five thousand messages a second,
 * the page busy throughout: every note is in the take, at its time, and memory grows as the events do.
 * `SECONDS` makes it shorter.
 */
import type { Page } from 'playwright-core';
import { MOST_BARS } from '../core/vocabulary/limits';
import { newSong } from '../core/document/document';
import type { Seeded } from '../core/random';
import { launch, pressRecord } from '../harness/browser';
import { openTimed } from '../harness/clock/time';
import { onceTaken } from '../harness/recording';
import { addSong, startServer } from '../harness/server';
import { holds, search, type Counts, type Outcome, type Settings } from './search';

const BPM = 120;
const SECONDS = Number(process.env.SECONDS ?? 7200);
/** Start of the flood as a share of the pass, its length, and its messages a second. */
const FLOOD_AT = 0.4;
const FLOOD_SECONDS = SECONDS / 120;
const FLOOD = 5000;
/** Messages arrive in bunches, each with its own time stamp. */
const BUNCH_MS = 100;
const NOTES_A_SECOND = 6;
/** Bytes of an event in the page's memory. */
const MOST_BYTES_AN_EVENT = 600;

/**
 * Sends notes from a page time on, each released before the next. Velocities count up and keys cycle, so that a lost
 * note shows.
 */
const PLAY = (from: number, seconds: number) => `{
  window.sent = [];
  const end = ${from + seconds * 1000};
  const flood = [${from + FLOOD_AT * seconds * 1000}, ${from + FLOOD_AT * seconds * 1000 + FLOOD_SECONDS * 1000}];
  let at = ${from};
  let n = 0;
  const bunch = () => {
    const now = performance.now();
    while (at < Math.min(now, end)) {
      const gap = at >= flood[0] && at < flood[1] ? ${2000 / FLOOD} : ${1000 / NOTES_A_SECOND};
      const key = 36 + (n % 60);
      midiSend([0x90, key, 1 + (n % 127)], at);
      midiSend([0x80, key, 64], at + gap / 2);
      window.sent.push(at);
      at += gap;
      n += 1;
    }
    if (now < end) standIn.at(now + ${BUNCH_MS}, bunch);
  };
  standIn.at(${from}, bunch);
}`;

async function heapOf(page: Page): Promise<number> {
  const devTools = await page.context().newCDPSession(page);
  await devTools.send('HeapProfiler.collectGarbage');
  const { usedSize } = await devTools.send('Runtime.getHeapUsage');
  await devTools.detach();
  return usedSize;
}

async function one(random: Seeded): Promise<Counts> {
  const running = await startServer();
  const browser = await launch();
  try {
    const plain = newSong('Lamps', 'piano');
    const id = await addSong(running.address, {
      ...{ tempo: [{ tick: 0, bpm: BPM }], bars: Math.min(MOST_BARS, Math.ceil((SECONDS * BPM) / 240) + 4) },
      brief: { ...plain.brief, countOffBars: 0 },
    });
    const device = { rate: 8000, longestSeconds: SECONDS + 300, stepMs: 40 };
    const { page, time } = await openTimed(browser, running.address, `/songs/${id}/play`, { device });
    const before = await heapOf(page);
    await time.roll(() => pressRecord(page));
    const from = await time.of(1);
    const busyFor = random.integer(20, 120);
    const busyUntil = from + 4000 * FLOOD_SECONDS;
    await page.evaluate(
      `for (let at = ${from}; at < ${busyUntil}; at += 200) standIn.busy.push({ at, for: ${busyFor} })`,
    );
    await page.evaluate(PLAY(from, SECONDS - 2));
    await time.to(SECONDS + 1);
    const after = await heapOf(page);
    await page.keyboard.press('r');
    await time.state('Ready');
    await time.free();
    const sent = (await page.evaluate('window.sent')) as number[];
    const song = await onceTaken(running.address, id);
    const notes = song.layers.flatMap((l) => l.events).filter((e) => e.message.type === 'noteOn');
    holds(notes.length === sent.length, () => `${notes.length} notes of ${sent.length}`);
    let worst = 0;
    notes.forEach(({ at, message }, n) => {
      const right = message.type === 'noteOn' && message.key === 36 + (n % 60) && message.velocity === 1 + (n % 127);
      holds(right, () => `note ${n} is another`);
      worst = Math.max(worst, Math.abs(at * 1000 - (sent[n]! - from + 1000)));
    });
    holds(worst < 1, () => `a note is ${worst} ms from where it was`);
    const bytes = (after - before) / (2 * sent.length);
    holds(bytes < MOST_BYTES_AN_EVENT, () => `${Math.round(bytes)} bytes an event in the page`);
    return {
      passes: 1,
      notes: notes.length,
      'bytes an event': Math.round(bytes),
      'µs off': Math.round(worst * 1000),
    };
  } finally {
    await browser.close();
    await running.end();
  }
}

export const hours = (settings: Settings): Promise<Outcome> => search(settings, one);
