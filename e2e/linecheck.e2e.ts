import { beforeEach, describe, expect, it } from 'vitest';
import type { BrowserContext, Page } from 'playwright-core';
import { newPart } from '../core/document/part';
import { newSong } from '../core/document/document';
import { PLAIN_KEYBOARD } from '../core/performance/keyboard';
import { openTimed } from '../harness/clock/time';
import { footplate, open, pressRecord, withKeyboard, settled, choose } from '../harness/browser';
import { addSong, put, putDevice, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';

const on = trial();
// Settings of a keyboard from one test do not reach the next.
beforeEach(() => putDevice(on.server.address, 'midi:stand-in', { ...PLAIN_KEYBOARD, on: true }));
/** Song once its only take has arrived. */
const taken = (id: string, within?: number): Promise<OpenedSong> =>
  until(async () => {
    const found = await readSong(on.server.address, id);
    return found.document.parts[0]!.takes.length === 1 && found.layers[0]!.closing ? found : false;
  }, within);
const lineCheck = async (id: string, init: (context: BrowserContext) => Promise<void> = withKeyboard) => {
  const opened = await open(on.browser, on.server.address, `/songs/${id}/line-check`, init);
  await footplate(opened.page).getByText('Ready', { exact: true }).waitFor();
  return opened;
};
const send = (page: Page, ...messages: number[][]) =>
  page.evaluate(`for (const m of ${JSON.stringify(messages)}) midiSend(m)`);
const link = (page: Page, id: string) => page.locator(`[data-link=${id}]`);
const now = (page: Page) => page.getByRole('region', { name: 'Line check' });

describe('the chain', () => {
  it('is whole once a key was held down, and finds each broken link and mends it with one button', async () => {
    const id = await addSong(on.server.address);
    const { page, context, errors } = await lineCheck(id);
    await now(page).getByText('Hold down a key').waitFor();
    await send(page, [0x90, 60, 90]);
    await now(page).getByText('Every link is whole').waitFor();
    await send(page, [0x80, 60, 64]);
    expect(await link(page, 'messages').innerText()).toContain('Stage keyboard: C4');

    // Wrong channel: the rejected message is named, and the repair admits it.
    await choose(page, 'Channel', '5');
    await send(page, [0x90, 62, 90], [0x80, 62, 64]);
    await now(page).getByText('something on another channel was left out').waitFor();
    await page.getByRole('button', { name: 'Let it through' }).click();
    await send(page, [0x90, 62, 90], [0x80, 62, 64]);
    await now(page).getByText('Every link is whole').waitFor();

    // Without an armed part, and with a muted one.
    await page.keyboard.press('Shift+Digit3');
    await page.getByRole('button', { name: 'armed', exact: true }).click();
    await page.getByText('No part is armed.').first().waitFor();
    await page.keyboard.press('Shift+Digit2');
    await page.getByRole('button', { name: 'Arm one' }).click();
    await now(page).getByText('Every link is whole').waitFor();
    await page.keyboard.press('Shift+Digit3');
    await page.getByRole('button', { name: 'Mute Piano' }).click();
    await page.keyboard.press('Shift+Digit2');
    await now(page).getByText('Piano is muted').waitFor();
    await page.getByRole('button', { name: 'Let it sound' }).click();
    await now(page).getByText('Every link is whole').waitFor();

    // A switched-off keyboard is reported when it is played, and repaired.
    await page.getByLabel('Listen to Stage keyboard').setChecked(false);
    await now(page).getByText('Stage keyboard is switched off.').waitFor();
    await send(page, [0x90, 64, 90], [0x80, 64, 64]);
    await now(page).getByText('Stage keyboard was played, and is switched off.').waitFor();
    await page.getByRole('button', { name: 'Switch it on' }).click();
    await now(page).getByText('Every link is whole').waitFor();
    expect(await link(page, 'on').innerText()).toContain('Stage keyboard.');
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is one key away from everywhere, also with no song and no keyboard', async () => {
    const { page, context } = await open(on.browser, on.server.address, '/', (c) =>
      c.addInitScript('navigator.requestMIDIAccess = undefined').then(() => {}),
    );
    await page.getByRole('button', { name: 'Take on a job' }).first().waitFor();
    await page.keyboard.press('Shift+Digit2');
    await page.waitForURL(/line-check$/);
    await now(page).getByText('This browser has no MIDI').waitFor();
    expect(await link(page, 'part').innerText()).toContain('No song is open');
    await context.close();
  });
});

describe('a keyboard', () => {
  it('is filtered, moved and named; what is left out is counted; it is remembered', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await lineCheck(id);
    await page.getByLabel('Name', { exact: true }).fill('Upstairs');
    await page.keyboard.press('Tab');
    await page.getByLabel('Octaves up').fill('1');
    await page.keyboard.press('Tab');
    await page.getByLabel('Lowest key').fill('48');
    await page.keyboard.press('Tab');
    await page.getByRole('button', { name: 'Sustain pedal' }).click();
    await page.getByLabel('Controllers left out, by number').fill('1, 11');
    await page.keyboard.press('Tab');
    await send(page, [0x90, 60, 90], [0xb0, 64, 127], [0xb0, 11, 9], [0xb0, 64, 0], [0x90, 40, 9], [0x80, 60, 64]);
    await page.getByText('Left out so far: 2 sustain pedal, 1 controllers, 1 outside the keys.').waitFor();
    await page
      .getByText(/Upstairs: C5/)
      .first()
      .waitFor();
    await page.reload();
    await footplate(page).getByText('Upstairs').waitFor();
    expect(await page.getByLabel('Octaves up').inputValue()).toBe('1');
    expect(await page.getByLabel('Controllers left out, by number').inputValue()).toBe('1 11');
    expect(await page.getByRole('button', { name: 'Sustain pedal' }).getAttribute('aria-pressed')).toBe('false');
    await context.close();
  });

  it('is remembered as it was set, however soon the page goes after that', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await lineCheck(id);
    await page.getByLabel('Octaves up').waitFor();
    // All messages in one turn of the page.
    await page.evaluate(`{
      const set = (label, value) => {
        const field = document.querySelector(label);
        field.value = value;
        field.dispatchEvent(new Event('change', { bubbles: true }));
      };
      set('#kb-name', 'Upstairs');
      set('[aria-label="Octaves up"]', '1');
      set('[aria-label="Lowest key"]', '48');
      set('#kb-cc', '1 11');
      location.reload();
    }`);
    await footplate(page).getByText('Upstairs').waitFor();
    const field = (label: string) => page.getByLabel(label).inputValue();
    await expect.poll(() => field('Octaves up')).toBe('1');
    expect(await field('Lowest key')).toBe('48');
    expect(await field('Controllers left out, by number')).toBe('1 11');
    await context.close();
  });

  it('that goes away in mid-pass ends its notes and says so; the pass goes on, panic lets go of the rest', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 200 }], bars: 12 });
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/play`);
    await time.roll(() => pressRecord(page));
    await time.send([0x90, 64, 90], await time.of(0.6));
    const gone = await time.of(1.1);
    await page.evaluate(`standIn.at(${gone}, () => midiUnplug())`);
    await time.to(1.2);
    await page.getByText(/Stage keyboard went away. The notes it held were ended, and everything goes on/).waitFor();
    await time.to(2.4);
    expect(await page.getByText('Recording', { exact: true }).count()).toBe(1);
    await page.keyboard.press('p');
    await page.keyboard.press('r');
    await time.state('Ready');
    await time.free();
    const song = await taken(id);
    const notes = song.layers[0]!.events.filter((e) => 'key' in e.message);
    expect(notes.map((e) => e.message.type)).toEqual(['noteOn', 'noteOff']);
    notes.forEach((e, i) => expect(e.at).toBeCloseTo([0.6, 1.1][i]!, 6));
    await context.close();
  });

  it('that floods the page with 5,000 messages in a second loses none of them', async () => {
    const id = await addSong(on.server.address, { bars: 16 });
    const { page, context, errors, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/play`);
    await time.roll(() => pressRecord(page));
    // Fifty messages each ten milliseconds, for a second.
    const from = await time.of(0.5);
    await page.evaluate(`{
      standIn.at(${from}, () => midiSend([0x90, 60, 90]));
      const fifty = (i) => { for (let k = 0; k < 50; k += 1) midiSend([0xb0, 1, (i * 50 + k) & 127]); };
      for (let i = 0; i < 100; i += 1) standIn.at(${from} + 10 * i, () => fifty(i));
      standIn.at(${from} + 1000, () => midiSend([0x80, 60, 64]));
    }`);
    await time.to(1.6);
    // The page still answers.
    await page.getByRole('button', { name: 'Mute Piano' }).click();
    await page.keyboard.press('r');
    await time.state('Ready');
    await time.free();
    const song = await taken(id, 40_000);
    const values = song.layers[0]!.events.flatMap((e) =>
      e.message.type === 'control' && e.message.controller === 1 ? [e.message.value] : [],
    );
    expect(values).toEqual(Array.from({ length: 5000 }, (_, i) => i & 127));
    expect(errors).toEqual([]);
    await context.close();
  });
});

/** Microphone that hears the page's output 80 ms later. */
const HEARS_THE_OUTPUT = `{
  const connect = AudioNode.prototype.connect;
  const ways = new WeakMap();
  const wayOf = (context) => {
    if (!ways.has(context)) {
      const delay = new DelayNode(context, { delayTime: 0.08 });
      const out = new MediaStreamAudioDestinationNode(context);
      connect.call(delay, out);
      ways.set(context, { delay, out });
    }
    return ways.get(context);
  };
  let last;
  AudioNode.prototype.connect = function (to, ...rest) {
    if (to === this.context.destination) connect.call(this, wayOf((last = this.context)).delay);
    return connect.call(this, to, ...rest);
  };
  navigator.mediaDevices.getUserMedia = async () => wayOf(last).out.stream;
}`;

describe('latency', () => {
  it('is never kept of the simulated cable, nor when the room is too loud', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await lineCheck(id);
    await page.getByRole('tab', { name: 'Latency' }).click();
    await page.getByLabel('Delay of the simulated cable in ms').fill('87.4');
    await page.getByLabel('Noise of the simulated cable in dBFS').fill('-30');
    await page.getByRole('button', { name: 'Try it on a simulated cable' }).click();
    const measured = await page.locator('[data-test=loop]').innerText({ timeout: 20_000 });
    expect(Math.abs(Number(/[\d.]+/.exec(measured)![0]) - 87.4)).toBeLessThan(1);
    await page.getByText('nothing of it is kept').waitFor();
    expect(await page.getByRole('button', { name: /as the output latency/ }).count()).toBe(0);
    await page.getByLabel('Noise of the simulated cable in dBFS').fill('0');
    await page.getByRole('button', { name: 'Try it on a simulated cable' }).click();
    await page.getByText(/Something is louder than the clicks.*Nothing was stored/).waitFor({ timeout: 20_000 });
    await page.getByLabel('Gain of the simulated cable in dB').fill('-80');
    await page.getByLabel('Noise of the simulated cable in dBFS').fill('-100');
    await page.getByRole('button', { name: 'Try it on a simulated cable' }).click();
    await page.getByText(/The clicks did not come back/).waitFor({ timeout: 20_000 });
    await context.close();
  });

  it('is measured by a microphone and kept with its date, and another set-up says that it was', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await lineCheck(id, (c) => c.addInitScript(HEARS_THE_OUTPUT).then(() => {}));
    await page.getByRole('tab', { name: 'Latency' }).click();
    await page.getByRole('button', { name: 'By microphone' }).click();
    await page.locator('[data-test=loop]').waitFor({ timeout: 20_000 });
    const keep = page.getByRole('button', { name: /^Keep [\d.]+ ms as the output latency/ });
    const words = new RegExp(`^${/[\d.]+ ms/.exec(await keep.innerText())![0]}.*, loop test, \\d{4}-`);
    await keep.click();
    await page.getByText(words).waitFor();
    await page.reload();
    await page.getByRole('tab', { name: 'Latency' }).click();
    await page.getByText(words).waitFor();
    await context.close();
    // Another set-up reports that these values are not its own.
    const other = await lineCheck(id, (c) =>
      c
        .addInitScript(
          '{ const Own = window.AudioContext; window.AudioContext = class extends Own { constructor(o) ' +
            '{ super({ ...o, sampleRate: 32000 }); } }; }',
        )
        .then(() => {}),
    );
    await other.page.getByRole('tab', { name: 'Latency' }).click();
    await other.page.getByText(/The set-up has changed/).waitFor();
    await other.context.close();
  });

  it('is measured and kept by one press on Play, and that press is undone', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, async (c) => {
      await withKeyboard(c);
      await c.addInitScript(HEARS_THE_OUTPUT);
    });
    // Another test may have measured this set-up.
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.getByRole('link', { name: 'All links good.' }).waitFor();
    const figures = async () => ((await (await fetch(`${on.server.address}/api/latency`)).json()) as object) ?? {};
    for (const set of Object.keys(await figures())) {
      const nothing = { words: 'this set-up', output: null, input: null };
      await put(on.server.address, `/api/latency/${encodeURIComponent(set)}`, nothing);
    }
    await page.reload();
    await page.getByRole('button', { name: 'Measure the latency' }).click();
    await page.getByText(/^Output latency measured and kept for this set-up: [\d.]+ ms\.$/).waitFor();
    const kept = () =>
      until(async () => Object.values(await figures()).filter((f: { output: unknown }) => f.output).length === 1);
    await kept();
    await page.getByRole('button', { name: 'Undo' }).first().click();
    await page.getByRole('button', { name: 'Measure the latency' }).waitFor();
    await context.close();
  });

  it('says why when there is no way back', async () => {
    const id = await addSong(on.server.address);
    const refused = async (name: string, words: RegExp) => {
      const { page, context } = await lineCheck(id, (c) =>
        c
          .addInitScript(
            `navigator.mediaDevices.getUserMedia = () => Promise.reject(new DOMException('no', '${name}'))`,
          )
          .then(() => {}),
      );
      await page.getByRole('tab', { name: 'Latency' }).click();
      await page.getByRole('button', { name: 'By microphone' }).click();
      await page.getByText(words).waitFor();
      await context.close();
    };
    await refused('NotAllowedError', /was not allowed to use the microphone/);
    await refused('NotFoundError', /No microphone or line input was found/);
    await refused('NotReadableError', /Another program holds the input/);
  });

  it('is not measured by a microphone that goes away in the middle', async () => {
    const id = await addSong(on.server.address);
    const stored = async () => (await fetch(`${on.server.address}/api/latency`)).text();
    const before = await stored();
    const { page, context } = await lineCheck(id, (c) =>
      c
        .addInitScript(
          `navigator.mediaDevices.getUserMedia = async () => {
      const { stream } = new AudioContext().createMediaStreamDestination();
      [window.microphone] = stream.getAudioTracks();
      return stream;
    }`,
        )
        .then(() => {}),
    );
    await page.getByRole('tab', { name: 'Latency' }).click();
    await page.getByRole('button', { name: 'By microphone' }).click();
    await page.getByText('Listening for the clicks.').waitFor();
    await settled(page);
    await page.evaluate(`microphone.dispatchEvent(new Event('ended'))`);
    await page.getByText(/The microphone went away in the middle of the test. Nothing was stored/).waitFor();
    expect(await stored()).toBe(before);
    await context.close();
  });

  it('is tapped along to, twice, and typed', async () => {
    const id = await addSong(on.server.address);
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/line-check`, {
      output: 0.02,
    });
    await page.getByRole('tab', { name: 'Latency' }).click();
    // A tap for each click, some milliseconds after it was rendered, with a player's scatter.
    const tap = async (button: string, late: number) => {
      await time.hold();
      await page.evaluate('standIn.context().listen()');
      await page.getByRole('button', { name: button }).click();
      await time.until(`document.body.textContent.includes('Tap along')`);
      const first = (await page.evaluate(`standIn.until(() => {
        const { from, pieces } = standIn.context().heard;
        let frame = from;
        for (const piece of pieces) {
          const found = piece.findIndex((sample) => Math.abs(sample) > 1e-5);
          if (found >= 0) {
            const { sampleRate } = standIn.context();
            standIn.click = standIn.context().pageTimeOf((frame + found) / sampleRate);
            return true;
          }
          frame += piece.length;
        }
        return false;
      }, 5000).then(() => standIn.click)`)) as number;
      for (let i = 0; i < 16; i += 1) {
        const at = first + i * 600 + late + (i % 2 ? 4 : -4);
        await time.send([0x90, 60, 80], at);
        await time.send([0x80, 60, 64], at + 30);
      }
      await time.until(`!document.body.textContent.includes('Tap along')`);
      await time.free();
    };
    const said = async () => (await page.getByRole('region', { name: 'Tap test' }).innerText()).replaceAll('\n', ' ');
    await tap('Hearing the keyboard itself', 60);
    expect(await said()).toMatch(/Itself: 60 ms late, ±\d+ ms, 1[3-6] taps/);
    await tap('Hearing it through here', 15);
    expect(await said()).toMatch(/Through here: 15 ms late, ±\d+ ms, 1[3-6] taps/);
    await page
      .getByRole('img', { name: /taps hearing itself, from \d+ to \d+ ms late; 1\d taps through here/ })
      .waitFor();
    await page.getByLabel('Output latency', { exact: true }).fill('41');
    await page.keyboard.press('Tab');
    await page.getByText(/41.0 ms, typed/).waitFor();
    await page.getByLabel('Input latency', { exact: true }).fill('3');
    await page.keyboard.press('Tab');
    await page.getByText(/3.0 ms, typed/).waitFor();
    await page.getByRole('button', { name: 'I hear my keyboard itself' }).click();
    await page.getByText('you would hear it twice').waitFor();
    await page.getByLabel('Output latency', { exact: true }).fill('');
    await page.keyboard.press('Tab');
    await page.getByText('as the system says').waitFor();
    await context.close();
  });
});

describe('hearing oneself', () => {
  it('goes through an instrument outside, or not at all, and the take is the same', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await lineCheck(id);
    await page.getByRole('tab', { name: 'Latency' }).click();
    await page.getByRole('button', { name: 'Through Rack organ' }).click();
    await send(page, [0x90, 60, 90]);
    // The release goes where the note went, even after a change of settings.
    await page.getByRole('button', { name: 'The keyboard sounds by itself' }).click();
    await send(page, [0x80, 60, 64], [0x90, 62, 90], [0x80, 62, 64]);
    expect(await page.evaluate('midiHeard')).toEqual([
      [0x90, 60, 90],
      [0x80, 60, 64],
    ]);
    await context.close();
  });

  it('splits one keyboard between two parts, and gives two keyboards to two', async () => {
    const base = newSong('Split', 'piano');
    const id = await addSong(on.server.address, {
      bars: 8,
      tempo: [{ tick: 0, bpm: 200 }],
      parts: [...base.parts, newPart({ id: 'organ', name: 'Organ', sound: 'tonewheel organ' }, 1)],
    });
    const { page, context, time } = await openTimed(on.browser, on.server.address, `/songs/${id}/play`);
    await page.locator('[data-control=part]').click();
    await page.getByRole('checkbox', { name: 'Organ' }).check();
    await page.getByLabel('Lowest key of Piano').fill('60');
    await page.keyboard.press('Tab');
    await page.getByLabel('Highest key of Organ').fill('59');
    await page.getByLabel('Highest key of Organ').press('Enter');
    await page.keyboard.press('Escape');
    expect(await page.getByRole('region', { name: 'The brief' }).innerText()).toContain(
      'Piano (C4 to G9) and Organ (C-1 to B3)',
    );
    // Before the first pass the brief says whether all links are good; later it does not.
    await page.getByText('All links good.').waitFor();
    await time.roll(() => pressRecord(page));
    await time.press(48, 0.5, 0.9);
    await time.press(72, 0.5, 0.9);
    await time.send([0xb0, 64, 127], await time.of(0.5));
    await time.send([0xb0, 64, 0], await time.of(0.9));
    await time.to(1.3);
    await page.keyboard.press('r');
    await time.state('Ready');
    await time.free();
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts.every((p) => p.takes.length === 1) && found.layers.every((l) => l.closing)
        ? found
        : false;
    });
    const keysOf = (part: string) =>
      song.layers
        .filter((l) => l.header.partId === part)
        .flatMap((l) => l.events.flatMap((e) => (e.message.type === 'noteOn' ? [e.message.key] : [])));
    expect([keysOf('piano'), keysOf('organ')]).toEqual([[72], [48]]);
    expect(await page.getByText('All links good.').count()).toBe(0);
    // A single undo takes the pass back from both parts.
    await page.keyboard.press('u');
    await until(async () => (await readSong(on.server.address, id)).document.parts.every((p) => p.takes.length === 0));
    await context.close();
  });
});

describe('levels', () => {
  it('hold the peak of the loudest passage, and suggest a level that leaves room', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await lineCheck(id);
    await page.getByRole('tab', { name: 'Levels' }).click();
    await page.getByRole('button', { name: 'Begin' }).click();
    await send(page, [0x90, 48, 127], [0x90, 60, 127], [0x90, 64, 127], [0x90, 67, 127]);
    const peakNow = async () => {
      const text = await page.locator('[data-test=peak]').innerText();
      return Number(/(−?\d+\.\d) dBFS/.exec(text)?.[1]?.replace('−', '-') ?? NaN);
    };
    // Four keys at full velocity on a part at -6 dB are heard without clipping.
    const loud = await until(async () => ((await peakNow()) > -30 ? await peakNow() : undefined));
    expect(loud).toBeLessThan(0);
    await send(page, ...[48, 60, 64, 67].map((k) => [0x80, k, 64]));
    // They ring on, and may add up to more than was read.
    await footplate(page).getByText('silent').waitFor();
    // Softer notes later do not lower the held peak.
    const peak = await peakNow();
    expect(peak).toBeGreaterThanOrEqual(loud);
    await send(page, [0x90, 60, 20]);
    await settled(page);
    await send(page, [0x80, 60, 64]);
    expect(await peakNow()).toBe(peak);
    await page.getByRole('button', { name: /Set Piano to/ }).click();
    // Headroom of nine decibels, exact to a decibel.
    const gain = await until(async () => {
      const { gainDb } = (await readSong(on.server.address, id)).document.parts[0]!;
      return gainDb === -6 ? undefined : gainDb;
    });
    expect(Math.abs(gain - Math.min(6, -6 - peak - 9))).toBeLessThanOrEqual(0.6);
    await context.close();
  });
});
