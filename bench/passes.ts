import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { seeded } from '../core/random';
import type { KeyMessage } from '../core/performance/messages';
import { pass } from '../core/recording/pass';
import { IDLE, type PassInput, type PassState } from '../core/recording/state';
import { planPass } from '../core/recording/plan';
import { listenersOf } from '../core/recording/inputRoutes';
import { newSong, type SongDocument } from '../core/document/document';
import { mapsOf } from '../core/document/maps';
import type { BrowserContext } from 'playwright-core';
import { audioToWav } from 'spessasynth_core';
import { footplate, launch, open, withKeyboard } from '../harness/browser';
import { addSong, startServer } from '../harness/server';
import { timesDry, withDryWatch } from '../harness/audioDropouts';
import { onDevice } from './device';
import { atLeast, quantile, under, type Figure } from './figure';
import { newBacking } from '../core/document/backing';
import { sized } from './sizes';

const song = { ...newSong('x', 'piano'), bars: 4000 };

function rolling(): PassState {
  let n = 0;
  const plan = planPass({
    song,
    maps: mapsOf(song),
    listeners: listenersOf(song),
    start: 0,
    from: 'x',
    latency: { output: 0, input: 0 },
    newId: () => `${n++}`,
    at: '',
  });
  const counting = pass(IDLE, { type: 'record', plan }).state;
  return pass(counting, { type: 'clock', at: 0.01 }).state;
}

/** Messages of a busy keyboard: notes, half-pedals, a wheel. */
function messageAt(i: number): KeyMessage {
  const key = 40 + (i % 40);
  switch (i % 5) {
    case 0:
      return { type: 'noteOn', key, velocity: 80 };
    case 1:
      return { type: 'noteOff', key: key - 1, velocity: 64 };
    case 2:
      return { type: 'control', controller: 64, value: i % 128 };
    case 3:
      return { type: 'control', controller: 1, value: i % 128 };
    default:
      return { type: 'bend', value: i % 16384 };
  }
}

function eventsASecond(): number {
  const COUNT = sized(400_000, 20_000);
  const inputs = Array.from({ length: COUNT }, (_, i): PassInput => ({
    type: 'key',
    port: 'x',
    at: 0.01 + i / 1000,
    message: messageAt(i),
  }));
  const runs = [0, 1, 2].map(() => {
    let state = rolling();
    const began = performance.now();
    for (const input of inputs) state = pass(state, input).state;
    return COUNT / ((performance.now() - began) / 1000);
  });
  return quantile(runs, 0.5);
}

/** Heap after a garbage collection, in MB. */
function heap(): number {
  setFlagsFromString('--expose_gc');
  const collect = runInNewContext('gc') as () => void;
  collect();
  collect();
  return process.memoryUsage().heapUsed / 1e6;
}

/** Growth of the heap over a two-hour pass with some number of events a second, or none. */
function growth(eventsPerSecond: number): { readonly all: number; readonly perEvent: number } {
  let state = rolling();
  const before = heap();
  let sent = 0;
  for (let tick = 0; tick < 7200 * 60; tick += 1) {
    const at = 0.01 + tick / 60;
    for (; sent < (tick / 60) * eventsPerSecond; sent += 1)
      state = pass(state, { type: 'key', port: 'x', at, message: messageAt(sent) }).state;
    state = pass(state, { type: 'clock', at }).state;
  }
  const all = heap() - before;
  // Referenced after the measurement, so that it is not collected before.
  if (state.phase !== 'recording') throw new Error('The pass should go on.');
  return { all, perEvent: sent ? (all * 1e6) / sent : 0 };
}

const watched = async (context: BrowserContext): Promise<void> => {
  await withKeyboard(context);
  await withDryWatch(context);
};
const LAPS = sized(64, 3);
const RATE = 48_000;
/** Tempo at which four bars are two seconds, a whole number of frames. */
const BPM = 480;

/** Sixteen bars of noise that nowhere repeats. */
function noise(): Float32Array {
  const random = seeded(44);
  let last = 0;
  return Float32Array.from({ length: RATE * 9 }, () => (last = last * 0.6 + (random.unit() - 0.5) * 0.5));
}

/**
 * Lets the page go round four bars of a backing, taps what its audio thread sends out, and holds it against the file:
 * how far each lap begins from where it should, and how the sound goes on over the lap boundaries. The expected samples
 * are those of the file, with the crossfade there.
 */
const TAP = `async (backing, laps) => {
  const engine = tallKettle.engine();
  const { context } = engine;
  const tap = new AudioWorkletNode(context, 'recorder', { numberOfOutputs: 0 });
  const pieces = [];
  tap.port.onmessage = ({ data }) => pieces.push(data);
  engine.output.connect(tap);
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key: ' ', bubbles: true }));
  // Waited for by the audio clock, which lags on a busy machine.
  const until = (2 * laps + 3) * context.sampleRate;
  do await new Promise((done) => setTimeout(done, 500));
  while (pieces.length === 0 || pieces.at(-1).frame - pieces[0].frame < until);
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key: ' ', bubbles: true }));
  const file = engine.tracks.bufferOf(backing).getChannelData(0);
  const first = pieces[0].frame;
  // Frames that the tap itself missed make the laps around them void.
  const missed = pieces.slice(1).flatMap((p, i) => {
    const end = pieces[i].frame + pieces[i].samples.length;
    return p.frame === end ? [] : [end - first];
  });
  const all = new Float32Array(pieces.at(-1).frame + pieces.at(-1).samples.length - first);
  for (const { frame, samples } of pieces) all.set(samples, frame - first);
  const rate = context.sampleRate, lap = 2 * rate, fade = Math.round(0.003 * rate), from = lap;
  // Place of the loop's start in the recording, by correlation.
  const like = (at, lag, size) => {
    let dot = 0, a = 0, b = 0;
    for (let i = 0; i < size; i += 1) {
      const x = file[from + i], y = all[at + lag + i] ?? 0;
      dot += x * y;
      a += x * x;
      b += y * y;
    }
    return dot / Math.sqrt(a * b + 1e-12);
  };
  let start = 0;
  while (start < all.length && Math.abs(all[start]) < 1e-4) start += 1;
  let best = start;
  for (let at = start; at < start + 400; at += 1) if (like(at, 0, 2000) > like(best, 0, 2000)) best = at;
  let heard = 0, played = 0;
  for (let i = 0; i < 20000; i += 1) {
    heard += file[from + i] * all[best + i];
    played += file[from + i] ** 2;
  }
  const gain = heard / played;
  const boundary = [], errors = [], joints = [];
  for (let k = 0; k < laps; k += 1) {
    const at = best + k * lap;
    if (missed.some((m) => m > at - 200 && m < at + lap + 200)) continue;
    let lag = 0;
    for (let l = -96; l <= 96; l += 1) if (like(at, l, 1200) > like(at, lag, 1200)) lag = l;
    boundary.push((lag / rate) * 1000);
    let wrong = 0, size = 0, quiet = 0, loud = 0;
    for (let i = 0; i < lap; i += 1) {
      const into = i - (lap - fade);
      const last = k === laps - 1;
      const share = into < 0 || last ? 0 : into / fade;
      const wanted = gain * (file[from + i] * (1 - share) + (share ? file[from - fade + into] * share : 0));
      if (last && into >= 0) break;
      wrong += (all[at + i] - wanted) ** 2;
      size += wanted ** 2;
      if (into > -fade && !last) { loud += wanted ** 2; quiet += all[at + i] ** 2; }
    }
    errors.push(Math.sqrt(wrong / size));
    if (k < laps - 1) joints.push(Math.sqrt(quiet / loud));
  }
  return {
    worst: Math.max(...boundary.map(Math.abs)),
    drift: boundary.at(-1) - boundary[0],
    error: Math.max(...errors),
    quietest: Math.min(...joints),
    heard: boundary.length,
  };
}`;

async function loopFigures(): Promise<{ figures: Figure[]; dry: number }> {
  const server = await startServer();
  const browser = await launch();
  try {
    const sides = noise();
    const upload = await fetch(`${server.address}/api/audio`, {
      method: 'POST',
      body: new Uint8Array(audioToWav([sides, sides], RATE)),
      headers: { 'content-type': 'application/octet-stream' },
    });
    const { hash } = (await upload.json()) as { hash: string };
    const base = newSong('Round', 'piano');
    const document: Partial<SongDocument> = {
      bars: 16,
      tempo: [{ tick: 0, bpm: BPM }],
      click: { ...base.click, when: 'never' },
      backings: [newBacking({ id: 'noise', name: 'Noise', audio: hash, gainDb: -6, length: 9 })],
      brief: { ...base.brief, loop: true, range: { from: 4 * 3840, to: 8 * 3840 } },
    };
    const id = await addSong(server.address, document);
    const { page, context } = await open(browser, server.address, `/songs/${id}/play`, watched);
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    // The loop begins at the playhead, in bar 5.
    await page.getByRole('application').click({ position: { x: 92 + 4 * 100 + 40, y: 40 } });
    const laps = (await page.evaluate(`(${TAP})('noise', ${LAPS})`)) as {
      worst: number;
      drift: number;
      error: number;
      quietest: number;
      heard: number;
    };
    const dry = await timesDry(page);
    await context.close();

    const plain = await addSong(server.address);
    const second = await open(browser, server.address, `/songs/${plain}/play`, withKeyboard);
    await footplate(second.page).getByText('Ready', { exact: true }).waitFor();
    const presses: number[] = [];
    for (let i = 0; i < 12; i += 1) {
      presses.push(
        (await second.page.evaluate(`new Promise((done) => {
        const state = document.querySelector('.footplate .state');
        const began = performance.now();
        const seen = new MutationObserver(() => {
          if (!/Counting/.test(state.textContent)) return;
          seen.disconnect();
          done(performance.now() - began);
        });
        seen.observe(state, { childList: true, characterData: true, subtree: true });
        document.querySelector('.footplate .record').click();
      })`)) as number,
      );
      await second.page.keyboard.press('r');
      await footplate(second.page).getByText('Ready', { exact: true }).waitFor();
    }
    await second.context.close();
    return {
      dry,
      figures: [
        under(
          'passes',
          `four bars for ${LAPS} laps (${laps.heard} tapped whole): a lap begins off its place by at most`,
          laps.worst,
          'ms',
          1,
        ),
        under('passes', 'the same: drift from the first lap to the last', Math.abs(laps.drift), 'ms', 0.1),
        under(
          'passes',
          'the same: worst lap against the file rendered offline, difference by power',
          laps.error,
          '',
          0.01,
        ),
        atLeast('passes', 'the same: loudness around the quietest seam, of what it should be', laps.quietest, '', 0.9),
        under('passes', 'Record pressed to counting, middle of 12', quantile(presses, 0.5), 'ms', 50),
        under('passes', 'Record pressed to counting, longest of 12', Math.max(...presses), 'ms', 150),
      ],
    };
  } finally {
    await browser.close();
    await server.end();
  }
}

export async function passFigures(): Promise<Figure[]> {
  const silent = growth(0);
  const played = growth(20);
  return [
    atLeast('passes', 'events a second through the reducer, middle of 3 runs', eventsASecond(), '/s', 200_000),
    under('passes', 'memory over a two-hour pass in which nothing is played', Math.abs(silent.all), 'MB', 1),
    under('passes', 'memory over a two-hour pass, for each event that is held', played.perEvent, 'bytes', 400),
    ...(await onDevice(loopFigures)),
  ];
}
