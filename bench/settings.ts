import { seeded } from '../core/random';
import type { Note } from '../core/performance/notes';
import { launch, open } from '../harness/browser';
import { addTakenSong } from '../harness/played';
import { startServer } from '../harness/server';
import { quantile, under, type Figure } from './figure';
import { heardAndDrawn } from './heard';
import { sized } from './sizes';

const BARS = 100;
const NOTES_A_BAR = 20;
const WITHIN_MS = 100;
const TIMES = sized(5, 1);

/** Sliders, each with its row; null for one that is always shown. */
const SETTINGS: readonly (readonly [slider: string, row: string | null])[] = [
  ['Strength', null],
  ['Swing', 'Swing'],
  ['Earlier or later as a whole', 'Earlier or later'],
  ['Leave alone within', 'Leave alone'],
  ['Widest gap in a chord', 'Chords'],
  ['Towards a level', 'Touch'],
  ['Scattered by', 'Looseness'],
];

/** Part of usual size: chords of three on the beats, with a run of eighths. */
function hand(): Note[] {
  const random = seeded(1);
  const at = (tick: number) => Math.max(0, tick + 24 * (random.unit() + random.unit() - 1));
  return Array.from({ length: BARS * 4 }, (_, beat) => {
    const chord = [0, 4, 7].map((step, i) => ({ key: 48 + step, start: at(beat * 960 + i * 8) }));
    const run = [0, 480].map((after, i) => ({ key: 72 + ((beat + i) % 7), start: at(beat * 960 + after) }));
    return [...chord, ...run];
  })
    .flat()
    .slice(0, BARS * NOTES_A_BAR)
    .map(({ key, start }, i) => ({ id: `n${i}`, key, velocity: 60 + (i % 40), release: 64, start, end: start + 300 }))
    .sort((a, b) => a.start - b.start);
}

/** Time until each setting of a recipe is heard and seen while it plays. */
export async function settingFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const id = await addTakenSong(server.address, BARS, 120, [{ notes: hand(), controls: [] }]);
    const { page } = await open(browser, server.address, `/songs/${id}/tidy`);
    await page.getByRole('button', { name: 'Quantize these bars' }).click();
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.getByRole('application', { name: /^Piano roll/ }).focus();
    await page.keyboard.press(' ');
    await page.getByText('Playing', { exact: true }).waitFor();
    const middles: number[] = [];
    const all: number[] = [];
    for (const [slider, row] of SETTINGS) {
      if (row) await page.locator('.setting .head', { hasText: row }).first().click();
      const on = `[role=slider][aria-label="${slider}"]`;
      await page.locator(on).waitFor();
      const turns = Array.from({ length: TIMES }, () => ({ on, key: 'ArrowRight' }));
      const took = await heardAndDrawn(page, turns, 700);
      middles.push(quantile(took, 0.5));
      all.push(...took);
    }
    const name = `a setting moved while ${BARS * NOTES_A_BAR} notes play, heard and seen`;
    return [
      under('settings', `${name}: the slowest of ${SETTINGS.length}, middle`, Math.max(...middles), 'ms', WITHIN_MS),
      under('settings', `${name}: all, 90th percentile`, quantile(all, 0.9), 'ms', WITHIN_MS),
    ];
  } finally {
    await browser.close();
    await server.end();
  }
}
