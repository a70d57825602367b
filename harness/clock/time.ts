import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import type { Anchor } from '../../engine/transport/anchor';
import { open, withKeyboard, type Opened } from '../browser';

const text = (name: string): string => readFileSync(join(import.meta.dirname, name), 'utf8');
/** Page time when it is opened, in milliseconds; some has passed already. */
const BEGINS = 100_000;

/** Simulated audio device. */
export interface Device {
  /** Frames a second. */
  readonly rate: number;
  /** Longest time that a page can be open, as all of its sound is kept in memory. */
  readonly longestSeconds: number;
  /** Step of the clock: short for tests of timing, long for long ones. */
  readonly stepMs: number;
}
const USUAL_DEVICE: Device = { rate: 48_000, longestSeconds: 900, stepMs: 5 };

/** Puts the simulated audio device and clock into every page of a context. */
async function withOwnTime(context: BrowserContext, device = USUAL_DEVICE): Promise<void> {
  const given = {
    WORKER: text('worker.js'),
    BEGINS,
    EPOCH: Date.UTC(2026, 0, 5, 9),
    RATE: device.rate,
    LONGEST_SECONDS: device.longestSeconds,
    STEP_MS: device.stepMs,
  };
  const front = Object.entries(given).map(([name, value]) => `const ${name} = ${JSON.stringify(value)};`);
  await context.addInitScript(`${front.join(' ')}\n${text('page.js')}`);
}

/** Disturbances of device and page, with times in page milliseconds. */
export interface Trouble {
  /** Output latency in seconds. */
  readonly output?: number;
  /** Drift of the audio clock against the page's, in parts per million. */
  readonly drift?: number;
}

/** Page time after which a wait is given up. */
const PATIENCE_MS = 240_000;

/** Clock of one page, moved by a test. */
export class Time {
  readonly #page: Page;

  constructor(page: Page) {
    this.#page = page;
  }

  now(): Promise<number> {
    return this.#page.evaluate('standIn.now()');
  }

  /** Stops the clock: it moves only when it is moved. */
  async hold(): Promise<void> {
    await this.#page.evaluate('standIn.hold()');
  }

  /** Lets the clock follow the machine's again. */
  async free(): Promise<void> {
    await this.#page.evaluate('standIn.free()');
  }

  async move(ms: number): Promise<void> {
    await this.#page.evaluate(`standIn.moveTo(standIn.now() + ${ms})`);
  }

  /** Moves the clock until an expression is true in the page. */
  async until(expression: string): Promise<void> {
    if (!(await this.#page.evaluate(`standIn.until(() => ${expression}, ${PATIENCE_MS})`)))
      throw new Error(`Moved on ${PATIENCE_MS} ms for ${expression}`);
  }

  /** Moves the clock until the footplate shows these words. */
  state(words: string): Promise<void> {
    return this.until(`document.querySelector('.footplate .state').textContent.trim() === ${JSON.stringify(words)}`);
  }

  async trouble({ output, drift }: Trouble): Promise<void> {
    if (output !== undefined) await this.#page.evaluate(`void (standIn.device.output = ${output})`);
    if (drift !== undefined) await this.#page.evaluate(`void (standIn.device.speed = 1 + ${drift} / 1e6)`);
  }

  /** Lets the audio device run dry for some milliseconds, at a place of the song. */
  async dry(at: number, ms: number): Promise<void> {
    await this.#page.evaluate(`void standIn.device.dry.push({ at: ${at}, for: ${ms} })`);
  }

  /** Blocks the page's thread for some milliseconds, from a moment on. */
  async busy(at: number, ms: number): Promise<void> {
    await this.#page.evaluate(`void standIn.busy.push({ at: ${at}, for: ${ms} })`);
  }

  /** Page time at which a place of the rolling clock, in seconds, is rendered. */
  async of(song: number): Promise<number> {
    const anchor = (await this.#page.evaluate('tallKettle.anchor()')) as Anchor;
    return this.#page.evaluate(`standIn.context().pageTimeOf(${anchor.context + (song - anchor.song) / anchor.speed})`);
  }

  /** Moves to a place of the rolling clock, as rendered. */
  async to(song: number): Promise<void> {
    await this.#page.evaluate(`standIn.moveTo(${await this.of(song)})`);
  }

  /** Sends a message of the simulated keyboard at a page time; the page receives it later by a delay. */
  async send(bytes: readonly number[], at: number, late = 0): Promise<void> {
    await this.#page.evaluate(`standIn.at(${at + late}, () => midiSend(${JSON.stringify(bytes)}, ${at}))`);
  }

  /** Schedules notes of the simulated keyboard at places of the rolling clock, in seconds, as rendered. */
  async press(key: number, from: number, to: number, { late = 0, velocity = 90 } = {}): Promise<void> {
    await this.send([0x90, key, velocity], await this.of(from), late);
    await this.send([0x80, key, 64], await this.of(to), late);
  }

  /** Stops the clock, presses, and moves until the music has a place. */
  async roll(press: () => Promise<unknown>): Promise<void> {
    await this.hold();
    await this.#page.evaluate('void (standIn.rolled = tallKettle.anchor())');
    await press();
    await this.until('tallKettle.anchor() !== standIn.rolled');
  }

  /** Records what the device plays from here on. */
  async listen(): Promise<void> {
    await this.#page.evaluate('standIn.context().listen()');
  }

  /** Recorded sound since then, mono, with the frame of its first sample. */
  async heard(): Promise<{ readonly from: number; readonly samples: Float32Array }> {
    const { from, samples } = (await this.#page.evaluate(`(() => {
      const { from, pieces } = standIn.context().heard;
      return { from, samples: pieces.flatMap((piece) => [...piece]) };
    })()`)) as { from: number; samples: number[] };
    return { from, samples: Float32Array.from(samples) };
  }
}

export interface Timed extends Opened {
  readonly time: Time;
}

interface Opening extends Trouble {
  readonly device?: Device;
  readonly init?: (context: BrowserContext) => Promise<void>;
}

/**
 * Opens a page on a clock of its own, which follows the machine's until it is stopped. A keyboard is plugged in, and
 * the song is ready.
 */
export async function openTimed(
  browser: Browser,
  address: string,
  path: string,
  { init = withKeyboard, device, ...trouble }: Opening = {},
): Promise<Timed> {
  const opened = await open(browser, address, path, async (context) => {
    await withOwnTime(context, device);
    await init(context);
  });
  const time = new Time(opened.page);
  await time.trouble(trouble);
  if (path.startsWith('/songs/'))
    await opened.page.getByRole('region', { name: 'Footplate' }).getByText('Ready', { exact: true }).waitFor();
  return { ...opened, time };
}
