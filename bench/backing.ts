import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { seeded } from '../core/random';
import { launch, open } from '../harness/browser';
import { steadyBeats, wavOfBeats } from '../harness/files';
import { addSong, startServer } from '../harness/server';
import { atMost, under, type Figure } from './figure';
import { sized } from './sizes';

const MINUTES = sized(5, 1);

/**
 * Analysis of a five-minute stereo file in a browser: time for peaks and beats, and the longest task of the page's
 * thread, compared with an idle page.
 */
export async function backingFigures(): Promise<Figure[]> {
  const random = seeded(8);
  const beats = steadyBeats(104, Math.floor((MINUTES * 60 - 1) * (104 / 60)), 0.3).map(
    (at) => at + random.normal(0.004),
  );
  const file = wavOfBeats('Five minutes.wav', beats, MINUTES * 60);
  const server = await startServer();
  const path = join(server.folder, file.name);
  writeFileSync(path, file.buffer);
  const browser = await launch();
  try {
    const id = await addSong(server.address, { bars: 130 });
    const { page } = await open(browser, server.address, `/songs/${id}/set-up`, async (context) => {
      await context.addInitScript(`{
        window.longTasks = [];
        const seen = (list) => {
          for (const { startTime, duration } of list.getEntries()) window.longTasks.push([startTime, duration]);
        };
        new PerformanceObserver(seen).observe({ type: 'longtask', buffered: true });
      }`);
    });
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.waitForTimeout(1500);
    await page.locator('.backings input[type=file]').setInputFiles(path);
    await page.getByRole('button', { name: 'Find the beats' }).click({ timeout: 60_000 });
    await page.getByText(/^\d+ beats, /).waitFor({ timeout: 60_000 });
    const { measures, tasks } = (await page.evaluate(`({
      measures: performance
        .getEntriesByType('measure')
        .map(({ name, startTime, duration }) => ({ name, startTime, duration })),
      tasks: window.longTasks,
    })`)) as { measures: { name: string; startTime: number; duration: number }[]; tasks: [number, number][] };
    const of = (name: string) => measures.find((m) => m.name === name)!;
    const meanwhile = (name: string) => {
      const { startTime, duration } = of(name);
      return Math.max(
        0,
        ...tasks.filter(([at, long]) => at + long > startTime && at < startTime + duration).map(([, long]) => long),
      );
    };
    return [
      under('backing', `${MINUTES} minutes of stereo: peaks`, of('peaks of a backing').duration, 'ms', 1000),
      under('backing', `${MINUTES} minutes of stereo: beats`, of('beats of a backing').duration, 'ms', 5000),
      // Browsers report tasks of 50 ms and more; 0 stands for none.
      atMost('backing', 'longest task of the page while its peaks are made', meanwhile('peaks of a backing'), 'ms', 50),
      atMost(
        'backing',
        'longest task of the page while its beats are found',
        meanwhile('beats of a backing'),
        'ms',
        50,
      ),
    ];
  } finally {
    await browser.close();
    await server.end();
  }
}
