import type { Browser } from 'playwright-core';
import { study } from '../demo/sheets';
import { meterMap } from '../core/time/meter';
import { addSong, readSong, until, type Running } from './server';
import { open, pressRecord } from './browser';
import type { BenchKeyboardPort } from '../engine/keyboards/benchKeyboard';
import { readTakeOf } from '../core/reading/reading';
import { secondsAt, tempoMap } from '../core/time/tempo';
import type { Layer } from '../core/takes/layer';

export interface OnsetErrors {
  readonly onsets: number;
  /** Notes away from dropouts. */
  readonly measured: number;
  readonly dropouts: number;
  readonly missing: number;
  /** Milliseconds. */
  readonly median: number;
  readonly p99: number;
  readonly worst: number;
  /** Error against the audio clock's own readings around each stamp, without dropouts: 99th percentile. */
  readonly clockP99: number;
}

export interface OnsetTrial {
  readonly bars: number;
  readonly bpm: number;
  /** Largest simulated delay of events, in milliseconds. */
  readonly lateness: number;
  /** True to block the page's thread for long. */
  readonly busy: boolean;
}

const quantile = (sorted: readonly number[], share: number): number =>
  sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? Number.NaN;

/** Jump of the audio clock between two readings that counts as a dropout. */
const DROPOUT = 0.002;
/**
 * Time around a dropout in which notes are ignored: the music itself jumps, and a busy page sees it two turns later.
 */
const AROUND_MS = 250;

type Readings = readonly (readonly [number, number])[];

/** Page times of dropouts. */
const dropoutsIn = (readings: Readings): number[] =>
  readings.flatMap(([p, c], i) => {
    const before = readings[i - 1];
    return before && Math.abs(c - before[1] - (p - before[0]) / 1000) > DROPOUT ? [p] : [];
  });

/**
 * Distance of each note's place from the audio time of its stamp, less the constant offset of the clocks; milliseconds,
 * sorted.
 */
function againstClock(
  onsets: readonly number[],
  stamps: readonly number[],
  readings: Readings,
  dropouts: readonly number[],
): number[] {
  const offsets = onsets.flatMap((at, i) => {
    const stamp = stamps[i]!;
    const after = readings.findIndex(([p]) => p >= stamp);
    if (after < 1 || dropouts.some((d) => Math.abs(stamp - d) < AROUND_MS)) return [];
    const [p0, c0] = readings[after - 1]!;
    const [p1, c1] = readings[after]!;
    return [at - (c0 + ((c1 - c0) * (stamp - p0)) / Math.max(0.001, p1 - p0))];
  });
  const middle = quantile(
    [...offsets].sort((a, b) => a - b),
    0.5,
  );
  return offsets.map((o) => Math.abs(o - middle) * 1000).sort((a, b) => a - b);
}

/**
 * Lets the Bench keyboard play a written part exactly, through the whole program: its notes leave at known
 * times, arrive late, and are placed by their stamps. Compares what was recorded with what is written.
 */
export async function onsetErrors(browser: Browser, server: Running, trial: OnsetTrial): Promise<OnsetErrors> {
  const tempo = [{ tick: 0, bpm: trial.bpm }];
  const id = await addSong(server.address, { bars: trial.bars, tempo });
  // Reads the audio clock independently of the program, for comparison.
  const { page, context } = await open(browser, server.address, `/songs/${id}/play`, (made) =>
    made
      .addInitScript(
        `{
    window.readings = [];
    window.stamps = [];
    const Own = window.AudioContext;
    window.AudioContext = class extends Own {
      constructor(options) {
        super(options);
        setInterval(() => {
          const { performanceTime, contextTime } = this.getOutputTimestamp();
          if (performanceTime) window.readings.push([performanceTime, contextTime]);
        }, 15);
      }
    };
  }`,
      )
      .then(() => {}),
  );
  await page.locator('[data-control=keyboard]').click();
  await page.getByLabel('Bench keyboard on').setChecked(true);
  await page.getByLabel('Looseness of the Bench keyboard in milliseconds').fill('0');
  await page.keyboard.press('Escape');
  await page.evaluate((lateness) => {
    const { bench } = (window as unknown as { tallKettle: { bench: BenchKeyboardPort } }).tallKettle;
    bench.lateness = lateness;
    bench.listen(({ data, timeStamp }) => {
      if (data[0] === 0x90) (window as unknown as { stamps: number[] }).stamps.push(timeStamp);
    });
  }, trial.lateness);
  if (trial.busy) {
    await page.evaluate(`(function work() {
      const until = performance.now() + 60;
      while (performance.now() < until) Math.sqrt(until);
      setTimeout(work, 20);
    })()`);
  }
  await page.getByText('Ready', { exact: true }).waitFor();
  await pressRecord(page);
  await page.getByText('Recording', { exact: true }).waitFor({ timeout: 20_000 });
  await page
    .getByText('Ready', { exact: true })
    .waitFor({ timeout: (1.5 * trial.bars * 4 * 60_000) / trial.bpm + 30_000 });
  await page.getByText('All kept').waitFor();
  const song = await until(async () => {
    const found = await readSong(server.address, id);
    return found.document.parts[0]!.takes.length === 1 && found;
  });
  const { readings, stamps } = (await page.evaluate('({ readings, stamps })')) as {
    readings: [number, number][];
    stamps: number[];
  };
  await context.close();

  const layers = new Map(
    song.layers.flatMap((l): [string, Layer][] => (l.closing ? [[l.header.id, { ...l, closing: l.closing }]] : [])),
  );
  const [take] = song.document.parts[0]!.takes;
  const map = tempoMap(tempo);
  const played = take ? [...readTakeOf(take, layers, []).notes] : [];
  const written = study(meterMap(song.document.meter), trial.bars).notes;
  const onsets = (song.layers[0]?.events ?? []).filter((e) => e.message.type === 'noteOn').map((e) => e.at);
  const dropouts = dropoutsIn(readings);
  const begun = stamps[0]! / 1000 - onsets[0]!;
  const errors: number[] = [];
  let missing = 0;
  for (const note of written) {
    const at = secondsAt(map, note.start);
    // Page and song time drift apart by no more than the dropouts.
    if (dropouts.some((d) => Math.abs((at + begun) * 1000 - d) < AROUND_MS)) continue;
    // Within half of the shortest distance between two notes of a key.
    const near = played.filter((p) => p.key === note.key && Math.abs(secondsAt(map, p.start) - at) < 0.1);
    const best = near.sort(
      (a, b) => Math.abs(secondsAt(map, a.start) - at) - Math.abs(secondsAt(map, b.start) - at),
    )[0];
    if (best) errors.push(Math.abs(secondsAt(map, best.start) - at) * 1000);
    else missing += 1;
  }
  errors.sort((a, b) => a - b);
  const clockErrors = againstClock(onsets, stamps, readings, dropouts);
  return {
    onsets: written.length,
    measured: errors.length,
    dropouts: dropouts.length,
    missing,
    median: quantile(errors, 0.5),
    p99: quantile(errors, 0.99),
    worst: errors.at(-1) ?? Number.NaN,
    clockP99: quantile(clockErrors, 0.99),
  };
}
