import type { Page } from 'playwright-core';
import { launch, open } from '../harness/browser';
import { addSong, post, startServer } from '../harness/server';
import { seeded } from '../core/random';
import { newSong } from '../core/document/document';
import { mapsOf } from '../core/document/maps';
import type { Layer, LayerEvent } from '../core/takes/layer';
import { secondsAt } from '../core/time/tempo';
import { quantile, under, type Figure } from './figure';
import { timesAsLong, timeToOpen } from './opening';
import { sized } from './sizes';

const BARS = 200;
const NOTES = 10_000;
const WATCH_MS = sized(8000, 1000);

/** Song of 200 bars with one part of 10,000 notes. */
function bigSong(): { document: unknown; layers: Layer[] } {
  const song = {
    ...newSong('A long night', 'piano'),
    bars: BARS,
    sections: Array.from({ length: 25 }, (_, i) => ({ id: `s${i}`, name: `Part ${i + 1}`, bars: 8 })),
  };
  const maps = mapsOf(song);
  const random = seeded(9);
  const events: LayerEvent[] = [];
  for (let i = 0; i < NOTES; i += 1) {
    const start = (i / NOTES) * (maps.end - 960);
    const key = random.integer(40, 84);
    events.push(
      { at: secondsAt(maps.tempo, start), message: { type: 'noteOn', key, velocity: random.integer(40, 110) } },
      { at: secondsAt(maps.tempo, start + random.integer(60, 400)), message: { type: 'noteOff', key, velocity: 64 } },
    );
  }
  events.sort((a, b) => a.at - b.at);
  const range = { from: 0, to: maps.end };
  const placement = song.parts[0]!.placement;
  const header = {
    id: 'layer',
    partId: 'piano',
    passId: 'pass',
    takeId: 'take',
    source: 'pass' as const,
    from: 'Bench keyboard',
    startedAt: '',
    tempo: song.tempo,
    latency: { output: 0, input: 0 },
    placement,
    planned: range,
    early: 240,
    quantize: null,
  };
  const take = { id: 'take', number: 1, layers: ['layer'], ...range, placement, at: '' };
  const part = { ...song.parts[0]!, takes: [take], comp: [{ ...range, takeId: 'take' }] };
  return { document: { ...song, parts: [part] }, layers: [{ header, closing: { range, clears: [] }, events }] };
}

const FRAME_MS = 17;

/** Times between frames in milliseconds, while a page is watched. */
export const frameTimes = async (page: Page): Promise<number[]> =>
  (await page.evaluate(`new Promise((done) => {
  const frames = [];
  let last = 0;
  const next = (now) => {
    if (last) frames.push(now - last);
    last = now;
    if (frames.reduce((a, b) => a + b, 0) < ${WATCH_MS}) requestAnimationFrame(next);
    else done(frames);
  };
  requestAnimationFrame(next);
})`)) as number[];

/** Figures of the chart under a long song: time until it is drawn, and evenness of the playhead. */
export async function chartFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const job = await post<{ id: string }>(server.address, '/api/jobs', { title: 'Long' });
    const { id } = await post<{ id: string }>(server.address, '/api/songs', { jobId: job.id, ...bigSong() });
    const empty = await addSong(server.address);
    const asLong = await timesAsLong(server.address, { id, says: `${NOTES} notes` }, empty);
    // Median of three, each in a page of its own, as the machine is shared.
    const times: number[] = [];
    for (let i = 0; i < 2; i += 1) {
      const other = await open(browser, server.address);
      times.push(await timeToOpen(other.page, id, `${NOTES} notes`));
      await other.context.close();
    }
    const { page } = await open(browser, server.address);
    times.push(await timeToOpen(page, id, `${NOTES} notes`));
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.keyboard.press(' ');
    await page.getByText('Playing', { exact: true }).waitFor();
    await page.waitForTimeout(1000);
    const frames = await frameTimes(page);
    await page.goto('about:blank');
    // A busy machine also drops frames of an empty page.
    const limit = Math.max(FRAME_MS, Math.round(10 * (quantile(await frameTimes(page), 0.95) + 0.5)) / 10);
    return [
      under('chart', `${BARS} bars, ${NOTES} notes: opens, middle of three`, quantile(times, 0.5), 'ms', 1000),
      under('chart', `${BARS} bars, ${NOTES} notes: opens, against an empty song`, asLong, 'times', 1.5),
      under(
        'chart',
        `${BARS} bars, ${NOTES} notes: frame while playing, 95th percentile`,
        quantile(frames, 0.95),
        'ms',
        limit,
      ),
    ];
  } finally {
    await browser.close();
    await server.end();
  }
}
