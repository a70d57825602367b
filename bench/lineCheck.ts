import type { Page } from 'playwright-core';
import { seeded } from '../core/random';
import { loopStroke } from '../core/placement/loopTest';
import { placeEvents } from '../core/takes/layer';
import { contextAt, follow, NO_READINGS } from '../core/time/clocks';
import { footplate, launch, open, pressRecord, withKeyboard } from '../harness/browser';
import { addSong, readSong, startServer, until, type Running } from '../harness/server';
import { timesDry, withDryWatch } from '../harness/audioDropouts';
import { onDevice } from './device';
import { atMost, quantile, under, type Figure } from './figure';
import { sized, some } from './sizes';

const DELAYS = sized(20, 2);
const QUANTUM = 128;

/**
 * Loop test through the simulated cable by the page's own buttons: delays of 3 to 250 ms, noise 10 dB below the test
 * sounds.
 */
async function loopFigures(page: Page): Promise<Figure[]> {
  const gain = -12;
  const stroke = loopStroke(48_000);
  const strokeDb = 10 * Math.log10(stroke.reduce((s, x) => s + x * x, 0) / stroke.length);
  const set = (label: string, value: number) => page.getByLabel(label).fill(String(value));
  await page.getByRole('tab', { name: 'Latency' }).click();
  await set('Gain of the simulated cable in dB', gain);
  await set('Noise of the simulated cable in dBFS', Math.round(strokeDb + gain - 10));
  const off: number[] = [];
  for (let i = 0; i < DELAYS; i += 1) {
    const delay = Math.round(10 * 3 * (250 / 3) ** (i / (DELAYS - 1))) / 10;
    await set('Delay of the simulated cable in ms', delay);
    await page.getByRole('button', { name: 'Try it on a simulated cable' }).click();
    await page.getByText('Listening for the clicks.').waitFor();
    await page.getByText('Listening for the clicks.').waitFor({ state: 'detached', timeout: 30_000 });
    const shown = page.locator('[data-test=loop]');
    off.push((await shown.count()) ? Math.abs(Number(/[\d.]+/.exec(await shown.innerText())![0]) - delay) : Infinity);
  }
  let wrong = 0;
  for (const over of some([1, 6, 12])) {
    await set('Noise of the simulated cable in dBFS', Math.round(strokeDb + gain + over));
    await page.getByRole('button', { name: 'Try it on a simulated cable' }).click();
    await page.getByText('Listening for the clicks.').waitFor();
    await page.getByText('Listening for the clicks.').waitFor({ state: 'detached', timeout: 30_000 });
    if (await page.locator('[data-test=loop]').count()) wrong += 1;
  }
  return [
    under(
      'line',
      `simulated cable, ${DELAYS} delays from 3 to 250 ms, noise 10 dB under: error, worst`,
      Math.max(...off),
      'ms',
      1,
    ),
    atMost('line', 'figures given with noise 1, 6 and 12 dB over the strokes', wrong, '', 0),
  ];
}

/** Delay from a key's handler to its first sample, with both counted in the context's frames. */
async function keyToSound(page: Page): Promise<Figure[]> {
  const quanta = (await page.evaluate(`(async () => {
    const engine = tallKettle.engine();
    const { context } = engine;
    const recorder = new AudioWorkletNode(context, 'recorder', { channelCount: 1, channelCountMode: 'explicit' });
    const pieces = [];
    recorder.port.onmessage = ({ data }) => pieces.push(data);
    const nowhere = new GainNode(context, { gain: 0 });
    engine.output.connect(recorder).connect(nowhere).connect(context.destination);
    const wait = (ms) => new Promise((done) => setTimeout(done, ms));
    const delays = [];
    for (let i = 0; i < 40; i += 1) {
      engine.panic();
      await wait(250 + 7 * (i % 5));
      pieces.length = 0;
      const struck = Math.round(context.currentTime * context.sampleRate);
      midiSend([0x90, 60 + (i % 12), 100]);
      await wait(250);
      midiSend([0x80, 60 + (i % 12), 64]);
      // First sample clearly above the noise before it.
      let first = Infinity;
      let silence = 1e-5;
      for (const { frame, samples } of pieces) {
        samples.forEach((s, k) => {
          if (frame + k < struck) silence = Math.max(silence, 2 * Math.abs(s));
          else if (first === Infinity && Math.abs(s) > silence) first = frame + k;
        });
      }
      if (first < Infinity && silence < 1e-3) delays.push((first - struck) / ${QUANTUM});
    }
    engine.output.disconnect(recorder);
    recorder.disconnect();
    return { delays, buffer: Math.round(context.baseLatency * context.sampleRate) / ${QUANTUM} };
  })()`)) as { delays: number[]; buffer: number };
  return [
    atMost(
      'line',
      `key to first sample, middle of ${quanta.delays.length} (the device takes ` +
        `${quanta.buffer.toFixed(1)} quanta at a time)`,
      quantile(quanta.delays, 0.5),
      'quanta',
      3,
    ),
    atMost(
      'line',
      'key to first sample, 90th percentile',
      quantile(quanta.delays, 0.9),
      'quanta',
      3 + Math.ceil(quanta.buffer),
    ),
  ];
}

interface Placed {
  readonly matching: number;
  readonly other: number;
  readonly expected: number;
}

/** Pass of the Bench keyboard, which hears late, placed by both policies. */
async function passUnder(server: Running, page: Page, policy: 'played' | 'heard', late: number): Promise<Placed> {
  const id = await addSong(server.address, { bars: 4, tempo: [{ tick: 0, bpm: 200 }] });
  await page.goto(`${server.address}/songs/${id}/line-check`);
  await footplate(page).getByText('Ready', { exact: true }).waitFor();
  await page.getByRole('tab', { name: 'Latency' }).click();
  const reported = Number(/[\d.]+/.exec(await page.getByText(/ms out$/).innerText())![0]);
  await page.getByLabel('Output latency', { exact: true }).fill(String(Math.round(10 * (reported + late)) / 10));
  await page.keyboard.press('Tab');
  if (policy === 'played') await page.getByRole('button', { name: 'I hear my keyboard itself' }).click();
  await page.getByRole('link', { name: 'Play', exact: true }).click();
  await page.locator('[data-control=keyboard]').click();
  await page.getByLabel('Bench keyboard on').setChecked(true);
  await page.getByLabel('Looseness of the Bench keyboard in milliseconds').fill('0');
  await page.getByLabel('How late the Bench keyboard hears').fill(String(late));
  await page.keyboard.press('Escape');
  await pressRecord(page);
  await page.getByText('Recording', { exact: true }).waitFor({ timeout: 20_000 });
  await footplate(page).getByText('Ready', { exact: true }).waitFor({ timeout: 30_000 });
  const song = await until(async () => {
    const found = await readSong(server.address, id);
    return found.document.parts[0]!.takes.length === 1 && found.layers[0]!.closing ? found : false;
  });
  const [layer] = song.layers;
  const BEAT = 960;
  const MS_A_TICK = 60_000 / 200 / BEAT;
  const offs = (of: 'played' | 'heard') =>
    quantile(
      placeEvents(layer!, { policy: of, nudge: 0 })
        .filter((e) => e.message.type === 'noteOn')
        .map(
          (e) =>
            (e.at -
              Math.round(
                (e.at -
                  (of === policy ? 0 : ((of === 'heard' ? 1 : -1) * layer!.header.latency.output * 1000) / MS_A_TICK)) /
                  BEAT,
              ) *
                BEAT) *
            MS_A_TICK,
        ),
      0.5,
    );
  return {
    matching: Math.abs(offs(policy)),
    other: offs(policy === 'played' ? 'heard' : 'played'),
    expected: (policy === 'played' ? 1 : -1) * layer!.header.latency.output * 1000,
  };
}

/** Error of clocks that drift by 100 ppm for an hour, read with a millisecond of jitter. */
function driftFigure(): Figure {
  const random = seeded(12);
  let clocks = NO_READINGS;
  let worst = 0;
  for (let t = 0; t < 3600; t += 0.1) {
    const context = 5 + t * (1 + 1e-4);
    clocks = follow(clocks, { performance: t * 1000 + Math.abs(random.normal(1)) * 0.3, context });
    if (t < 2) continue;
    const struck = t * 1000 - 50 * random.unit();
    worst = Math.max(
      worst,
      Math.abs((contextAt(clocks, struck) ?? Infinity) - (5 + (struck / 1000) * (1 + 1e-4))) * 1000,
    );
  }
  return under('line', 'placement error over an hour of clocks 100 parts in a million apart', worst, 'ms', 1);
}

export async function lineFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const id = await addSong(server.address);
    const opened = async () => {
      const { page, context } = await open(browser, server.address, `/songs/${id}/line-check`, async (made) => {
        await withKeyboard(made);
        await withDryWatch(made);
      });
      await footplate(page).getByText('Ready', { exact: true }).waitFor();
      return { page, context };
    };
    const taken = async (take: (page: Page) => Promise<Figure[]>) => {
      const { page, context } = await opened();
      const figures = await take(page);
      const dry = await timesDry(page);
      await context.close();
      return { figures, dry };
    };
    const figures = [
      driftFigure(),
      ...(await onDevice(() => taken(keyToSound))),
      ...(await onDevice(() => taken(loopFigures))),
    ];
    for (const late of some([5, 20, 60, 120])) {
      for (const policy of ['played', 'heard'] as const) {
        figures.push(
          ...(await onDevice(() =>
            taken(async (page) => {
              const { matching, other, expected } = await passUnder(server, page, policy, late);
              return [
                under(
                  'line',
                  `hears ${late} ms late, lines up as ${policy}: error under that policy, middle`,
                  matching,
                  'ms',
                  2,
                ),
                under(
                  'line',
                  `the same under the other policy: ${other.toFixed(1)} ms, expected ${expected.toFixed(1)}; apart`,
                  Math.abs(other - expected),
                  'ms',
                  2,
                ),
              ];
            }),
          )),
        );
      }
    }
    return figures;
  } finally {
    await browser.close();
    await server.end();
  }
}
