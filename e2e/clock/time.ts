import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import type { Anchor } from '../../engine/transport/anchor';
import { open, withKeyboard, type Opened } from '../browser';

const text = (name: string): string => readFileSync(join(import.meta.dirname, name), 'utf8');
/** Time of the page's clock when it is opened, in milliseconds: some has gone by already. */
const BEGINS = 100_000;

/** The stand-in device. */
export interface Device {
  /** Frames a second. */
  readonly rate: number;
  /** Longest time that a page can be open: all of its sound is rendered into one piece of memory. */
  readonly longestSeconds: number;
  /** Step of the clock at one stroke: what is about time wants it short, what is long wants it coarse. */
  readonly stepMs: number;
}
const USUAL_DEVICE: Device = { rate: 48_000, longestSeconds: 900, stepMs: 5 };

/** Puts the stand-ins for the audio device and the page's time into every page of a context. */
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

/** Trouble of the device and the page. Times in milliseconds of the page's clock. */
export interface Trouble {
  /** Time from rendering to the ear, in seconds. */
  readonly output?: number;
  /** Parts in a million by which the audio clock is faster than the page's. */
  readonly drift?: number;
}

/** Time of the clock after which a wait is given up. */
const PATIENCE_MS = 240_000;

/** The clock of one page, which a test moves. */
export class Time {
  readonly #page: Page;

  constructor(page: Page) {
    this.#page = page;
  }

  now(): Promise<number> {
    return this.#page.evaluate('standIn.now()');
  }

  /** Stops the clock: from here on it goes only as far as it is moved. */
  async hold(): Promise<void> {
    await this.#page.evaluate('standIn.hold()');
  }

  /** The clock goes with the machine's again. */
  async free(): Promise<void> {
    await this.#page.evaluate('standIn.free()');
  }

  async move(ms: number): Promise<void> {
    await this.#page.evaluate(`standIn.moveTo(standIn.now() + ${ms})`);
  }

  /** Moves on until an expression is true in the page. */
  async until(expression: string): Promise<void> {
    if (!(await this.#page.evaluate(`standIn.until(() => ${expression}, ${PATIENCE_MS})`)))
      throw new Error(`Moved on ${PATIENCE_MS} ms for ${expression}`);
  }

  /** Moves on until these words stand in the footplate. */
  state(words: string): Promise<void> {
    return this.until(`document.querySelector('.footplate .state').textContent.trim() === ${JSON.stringify(words)}`);
  }

  async trouble({ output, drift }: Trouble): Promise<void> {
    if (output !== undefined) await this.#page.evaluate(`void (standIn.device.output = ${output})`);
    if (drift !== undefined) await this.#page.evaluate(`void (standIn.device.speed = 1 + ${drift} / 1e6)`);
  }

  /** The audio device runs dry for so many milliseconds when the song is at a place. */
  async dry(at: number, ms: number): Promise<void> {
    await this.#page.evaluate(`void standIn.device.dry.push({ at: ${at}, for: ${ms} })`);
  }

  /** The page's thread does nothing from a moment on, for so many milliseconds. */
  async busy(at: number, ms: number): Promise<void> {
    await this.#page.evaluate(`void standIn.busy.push({ at: ${at}, for: ${ms} })`);
  }

  /** The page time at which a place of the rolling clock (in seconds) is rendered. */
  async of(song: number): Promise<number> {
    const anchor = (await this.#page.evaluate('tallKettle.anchor()')) as Anchor;
    return this.#page.evaluate(`standIn.context().pageTimeOf(${anchor.context + (song - anchor.song) / anchor.speed})`);
  }

  /** Moves to where the rolling clock is at a place, as rendered. */
  async to(song: number): Promise<void> {
    await this.#page.evaluate(`standIn.moveTo(${await this.of(song)})`);
  }

  /** The stand-in keyboard sends something at a page time; the page gets it so much later. */
  async send(bytes: readonly number[], at: number, late = 0): Promise<void> {
    await this.#page.evaluate(`standIn.at(${at + late}, () => midiSend(${JSON.stringify(bytes)}, ${at}))`);
  }

  /** Plays a key of the stand-in keyboard at places of the rolling clock, in seconds, as rendered. Moves nothing. */
  async press(key: number, from: number, to: number, { late = 0, velocity = 90 } = {}): Promise<void> {
    await this.send([0x90, key, velocity], await this.of(from), late);
    await this.send([0x80, key, 64], await this.of(to), late);
  }

  /** Stops the clock, presses, and moves on until the music has a place. */
  async roll(press: () => Promise<unknown>): Promise<void> {
    await this.hold();
    await this.#page.evaluate('void (standIn.rolled = tallKettle.anchor())');
    await press();
    await this.until('tallKettle.anchor() !== standIn.rolled');
  }

  /** Listens to what the device plays from here on. */
  async listen(): Promise<void> {
    await this.#page.evaluate('standIn.context().listen()');
  }

  /** Sound that was played since, mono, with the frame of its first sample. */
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
 * A page of its own on a clock of its own, which goes with the machine's until it is held. A keyboard is plugged in,
 * and an open song is ready.
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
