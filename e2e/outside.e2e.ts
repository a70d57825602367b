import { WaveFile } from 'wavefile';
import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { newSong, type SongDocument } from '../core/document/document';
import { newPart } from '../core/document/part';
import { mapsOf } from '../core/document/maps';
import { change } from '../core/song/changes';
import { readerOf } from '../core/reading/reading';
import { soundOfLine, type HeardSound } from '../core/reading/sound';
import type { Recording } from '../core/takes/sound';
import { songTime, type Anchor } from '../engine/transport/anchor';
import { openTimed, type Timed } from '../harness/clock/time';
import { choose, footplate, launch, launchMortal, open as openPage, withKeyboard } from '../harness/browser';
import { madeFiles } from '../harness/runs';
import { addSong, post, readSong, until } from '../harness/server';
import { lineOf } from '../harness/played';
import { openSound, withInstrument } from '../harness/recording';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';

const on = trial();
const BPM = 240;
/** Mutes everything but recorded sound. */
const NO_CLICK = { ...newSong('x', 'piano').click, when: 'never' } as const;

async function play(
  over: Partial<SongDocument> = {},
  browser = on.browser,
  init: NonNullable<Parameters<typeof openTimed>[3]>['init'] = withKeyboard,
): Promise<Timed & { id: string }> {
  const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: BPM }], ...over });
  return { id, ...(await openTimed(browser, on.server.address, `/songs/${id}/play`, { init })) };
}

async function heardAsRecorded(page: Page): Promise<void> {
  await openSound(page);
  await page.getByRole('button', { name: 'Its recorded sound' }).click();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Piano’s sound: its recorded sound' }).waitFor();
}
/** Records a take with notes at some seconds of the song. */
async function take({ page, time }: Timed, at: readonly number[], ends = 4): Promise<void> {
  await time.roll(() => page.keyboard.press('r'));
  for (const from of at) await time.press(60, from, from + 0.1);
  await time.to(ends);
  await page.keyboard.press('Space');
  await time.state('Ready');
  await time.free();
}

/** Song once its recordings are closed and its takes have a number of layers. */
const recorded = (id: string, count: number, layers = count): Promise<OpenedSong> =>
  until(async () => {
    const song = await readSong(on.server.address, id);
    const taken = song.document.parts[0]!.takes.flatMap((t) => t.layers).length;
    return song.recordings.length === count && taken === layers && song.layers.every((l) => l.closing) && song;
  });

async function samplesOf({ audio }: Recording): Promise<Float64Array> {
  const response = await fetch(`${on.server.address}/api/audio/${audio}`);
  const wav = new WaveFile(new Uint8Array(await response.arrayBuffer()));
  const sides = wav.getSamples(false) as unknown as Float64Array[] | Float64Array;
  return Array.isArray(sides) ? sides[0]! : (sides as Float64Array);
}

const QUIET = 0.002;
/** Frames at which sound begins after silence. */
function onsetsIn(samples: ArrayLike<number>, rate: number): number[] {
  const found: number[] = [];
  let last = -Infinity;
  for (let i = 0; i < samples.length; i += 1) {
    if (Math.abs(samples[i]!) < QUIET) continue;
    if (i - last > rate * 0.05) found.push(i);
    last = i;
  }
  return found;
}

/** Number of requests queued in a page's browser. */
const unsent = (page: Page): Promise<number> =>
  page.evaluate(
    () =>
      new Promise<number>((done, failed) => {
        const opening = indexedDB.open('tall-kettle');
        opening.onerror = () => failed(opening.error);
        opening.onsuccess = () => {
          const counting = opening.result.transaction('errands').objectStore('errands').count();
          counting.onsuccess = () => done(counting.result);
          counting.onerror = () => failed(counting.error);
          opening.result.close();
        };
      }),
  );

/** Onsets in the recorded sound, in song seconds. */
async function heardOnsets(song: OpenedSong, part = 0): Promise<number[]> {
  const layers = new Map(song.layers.map((l) => [l.header.id, l as never]));
  const recordings = new Map(song.recordings.map((r) => [r.id, r]));
  const { clocks } = song.document;
  const sources = { layers, recordings, clocks, read: readerOf(layers, clocks).read };
  const pieces: HeardSound[] = soundOfLine(song.document.parts[part]!, sources, mapsOf(song.document));
  const all: number[] = [];
  for (const { recording, from, to, into } of pieces) {
    const { rate } = recordings.get(recording)!;
    const samples = await samplesOf(recordings.get(recording)!);
    for (const frame of onsetsIn(samples, rate)) {
      const at = from + frame / rate - into;
      if (at >= from - 0.001 && at < to) all.push(at);
    }
  }
  return all.sort((a, b) => a - b);
}
const MS = 0.001;
/** Starts of the line's notes, in seconds. */
const struckIn = (song: OpenedSong): number[] => lineOf(song).map((n) => (n.from * 60) / BPM);
function meet(heard: readonly number[], struck: readonly number[]): void {
  expect(heard).toHaveLength(struck.length);
  heard.forEach((at, i) => expect(Math.abs(at - struck[i]!)).toBeLessThan(MS));
}

describe('an instrument outside', () => {
  it('is recorded beside the keys, and lies, is heard and goes out where they were struck', async () => {
    const timed = await play({ click: NO_CLICK });
    const { page, context, time, id, errors } = timed;
    await withInstrument(page);
    await page.getByText('and the sound from Bench instrument').first().waitFor();
    await take(timed, [0.5, 1.25, 2.5]);
    const song = await recorded(id, 1);
    const struck = struckIn(song);
    expect(struck).toHaveLength(3);
    meet(await heardOnsets(song), struck);
    expect(song.recordings[0]).toMatchObject({ channels: 2, from: 'Bench instrument' });

    await heardAsRecorded(page);
    await time.hold();
    await page.keyboard.press('Home');
    await time.listen();
    await time.roll(() => page.keyboard.press('Space'));
    await time.to(3.5);
    const { from, samples } = await time.heard();
    const anchor = (await page.evaluate('tallKettle.anchor()')) as Anchor;
    const rate = (await page.evaluate('standIn.context().sampleRate')) as number;
    meet(
      onsetsIn(samples, rate).map((frame) => songTime(anchor, (from + frame) / rate)),
      struck,
    );
    await page.keyboard.press('Space');
    await time.state('Ready');
    await time.free();
    await page.getByText('All kept').waitFor();

    const delivery = { midi: 'none', audio: 'dry', rate: 44_100, sheets: true } as const;
    const run = await madeFiles(on.server.address, id, delivery);
    const at = run.files.findIndex(({ file }) => file.type === 'audio');
    const answer = await fetch(`${on.server.address}/api/runs/${run.id}/files/${at}`);
    const wav = new WaveFile(new Uint8Array(await answer.arrayBuffer()));
    const [left] = wav.getSamples(false) as unknown as Float64Array[];
    expect(left).toHaveLength(8 * 44_100);
    const scaled = left!.map((s) => s / 2 ** 23);
    meet(
      onsetsIn(scaled, 44_100).map((frame) => frame / 44_100),
      struck,
    );
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is where it belongs when a note was waited for, and in a song that began earlier', async () => {
    const base = newSong('x', 'piano').brief;
    const timed = await play({ brief: { ...base, wait: 'start', countOffBars: 1 } });
    const { page, context, time, id } = timed;
    await withInstrument(page);
    await time.roll(() => page.keyboard.press('r'));
    await time.move(3300);
    const now = await time.now();
    await time.send([0x90, 60, 90], now + 100);
    await time.send([0x80, 60, 64], now + 300);
    await time.move(400);
    await time.state('Recording');
    await time.press(62, 1.5, 1.6);
    await time.to(3);
    await page.keyboard.press('Space');
    await time.state('Ready');
    await time.free();
    const song = await recorded(id, 1);
    const struck = struckIn(song);
    expect(struck).toHaveLength(2);
    expect(struck[0]).toBeCloseTo(0, 3);
    meet(await heardOnsets(song), struck);
    await context.close();
  });

  it('is each lap’s own, and the picked lap’s is heard', async () => {
    const base = newSong('x', 'piano').brief;
    const brief = { ...base, loop: true, range: { from: 0, to: 2 * 3840 }, laps: 'a new take each' } as const;
    const timed = await play({ brief });
    const { page, context, time, id } = timed;
    await withInstrument(page);
    await time.roll(() => page.keyboard.press('r'));
    for (const at of [0.25, 2.75, 4.5]) await time.press(60, at, at + 0.1);
    await time.to(5.5);
    await page.keyboard.press('Space');
    await time.state('Ready');
    await time.free();
    const song = await recorded(id, 1, 3);
    expect(song.document.parts[0]!.takes).toHaveLength(3);
    const struck = struckIn(song);
    expect(struck.some((at) => Math.abs(at - 0.5) < MS)).toBe(true);
    meet(await heardOnsets(song), struck);
    const first = song.document.parts[0]!.takes[0]!;
    const other = { ...song, document: structuredClone(song.document) } as OpenedSong;
    Object.assign(other.document.parts[0]!, { comp: [{ from: 0, to: 2 * 3840, takeId: first.id }] });
    meet(await heardOnsets(other), [0.25]);
    await context.close();
  });

  it('that is punched into goes on around the punch as it was', async () => {
    const timed = await play();
    const { page, context, time, id } = timed;
    await withInstrument(page);
    await take(timed, [0.5, 1.5, 2.5]);
    await recorded(id, 1);
    await page.locator('[data-control=mode]').click();
    await page.getByRole('button', { name: 'Replace', exact: true }).click();
    await page.keyboard.press('Escape');
    await time.hold();
    await page.keyboard.press('Home');
    await time.roll(() => page.keyboard.press('Space'));
    await time.press(64, 1.6, 1.7);
    await time.to(1.25);
    await page.keyboard.press('r');
    await time.to(2);
    await page.keyboard.press('r');
    await time.to(3);
    await page.keyboard.press('Space');
    await time.state('Ready');
    await time.free();
    const song = await recorded(id, 2);
    const struck = struckIn(song);
    expect(struck.map((at) => Math.round(at * 10) / 10)).toEqual([0.5, 1.6, 2.5]);
    meet(await heardOnsets(song), struck);
    await context.close();
  });

  it('is there up to the last half second when the browser is killed', async () => {
    const mortal = await launchMortal();
    const { page, time, id } = await play({}, mortal.browser);
    await withInstrument(page);
    await time.roll(() => page.keyboard.press('r'));
    for (const at of [0.5, 1.25, 3.6]) await time.press(60, at, at + 0.1);
    await time.to(4);
    // Work of the browser between two moves of the clock takes real time.
    await until(async () => (await unsent(page)) === 0);
    await mortal.kill();
    const { context } = await openPage(on.browser, on.server.address, `/songs/${id}/play`);
    const song = await recorded(id, 1);
    const struck = struckIn(song);
    expect(struck.filter((at) => at < 3)).toHaveLength(2);
    const { frames, rate } = song.recordings[0]!;
    // It began with the count, a second before bar 1.
    expect(frames / rate).toBeGreaterThan(4.5);
    meet(
      (await heardOnsets(song)).filter((at) => at < 3),
      struck.filter((at) => at < 3),
    );
    await context.close();
  });

  it('without a key is a take as well, cut off too: what is there of it is said to be kept', async () => {
    const mortal = await launchMortal();
    const { page, time, id } = await play({}, mortal.browser);
    await withInstrument(page);
    await time.roll(() => page.keyboard.press('r'));
    await time.to(4);
    await until(async () => (await unsent(page)) === 0);
    await mortal.kill();
    const { page: next, context } = await openPage(on.browser, on.server.address, `/songs/${id}/play`);
    await next.getByText(/What had been played was kept as a take of Piano/).waitFor();
    const song = await recorded(id, 1);
    const [only] = song.document.parts[0]!.takes;
    // Four seconds at the song's tempo, less what was under way.
    expect(((only!.to - only!.from) / 960) * (60 / BPM)).toBeGreaterThan(3.5);
    expect(song.recordings).toHaveLength(1);
    await context.close();
  });

  it('goes on being recorded while the server is away, and is whole when it is back', async () => {
    const timed = await play();
    const { page, context, time, id } = timed;
    await withInstrument(page);
    await time.roll(() => page.keyboard.press('r'));
    for (const at of [0.5, 2.5]) await time.press(60, at, at + 0.1);
    await time.to(1);
    await on.server.kill();
    await time.to(4);
    await page.keyboard.press('Space');
    await time.state('Ready');
    await time.free();
    await on.server.restart();
    const song = await recorded(id, 1);
    meet(await heardOnsets(song), struckIn(song));
    expect(struckIn(song)).toHaveLength(2);
    await context.close();
  });

  it('that cannot be had is said, and the keys are recorded without it', async () => {
    const part = { ...newPart({ id: 'piano', name: 'Piano' }, 0) };
    const input = { device: 'line', name: 'Line In', channels: 2 } as const;
    const id = await addSong(on.server.address, {
      ...{ bars: 8, tempo: [{ tick: 0, bpm: BPM }], parts: [{ ...part, input }] },
    });
    const timed = await openTimed(on.browser, on.server.address, `/songs/${id}/play`, {
      init: async (context) => {
        await withKeyboard(context);
        await context.addInitScript(
          `navigator.mediaDevices.getUserMedia = () => Promise.reject(new DOMException('no', 'NotAllowedError'))`,
        );
      },
    });
    const { page, context } = timed;
    await take(timed, [0.5]);
    await page.getByText(/Line In: The browser was not allowed .* The keys are recorded without their sound/).waitFor();
    const song = await until(async () => {
      const now = await readSong(on.server.address, id);
      return now.document.parts[0]!.takes.length === 1 && now;
    });
    expect([song.recordings.length, struckIn(song).length]).toEqual([0, 1]);
    expect(song.layers[0]!.header.sound).toBeUndefined();
    await openSound(page);
    await page.getByRole('button', { name: 'Look for inputs' }).click();
    await page
      .getByText(/was not allowed to use the microphone/)
      .last()
      .waitFor();
    await context.close();
  });
});

describe('sounding the line again', () => {
  const again = (page: Page) => page.getByRole('group', { name: 'Sound Piano again' });
  /** Presses one of its buttons, and waits until it rolls. */
  async function soundAgain({ page, time }: Timed, name: string | RegExp): Promise<void> {
    await openSound(page);
    await time.roll(() => again(page).getByRole('button', { name }).click());
    await page.keyboard.press('Escape');
    await page.getByText('Sounding again', { exact: true }).waitFor();
  }
  async function ends({ page, time }: Timed): Promise<void> {
    await time.state('Ready');
    await time.move(5000);
    await time.free();
    await page.getByText('All kept').waitFor();
  }

  it('gives a line that was moved by hand its sound at its new places, and nothing else sounds', async () => {
    const timed = await play({ click: NO_CLICK });
    const { page, context, time, id, errors } = timed;
    await withInstrument(page);
    await take(timed, [0.51, 1.27, 2.5]);
    const played = await recorded(id, 1);
    const piano = played.document.parts[0]!;
    const [taken] = piano.takes;
    const moved = { op: 'move', notes: { [taken!.layers[0]!]: '0-2' }, by: 240, keys: 0 } as const;
    const made = change(played.document, {
      ...{ type: 'edit takes', part: 'piano', what: 'a change', takes: [{ take: taken!.id, edits: [moved] }] },
    });
    await post(on.server.address, `/api/songs/${id}/changes`, {
      ...{ base: played.revision, after: null, id: 'moved', kind: 'do', name: 'by hand: a change' },
      ...{ patches: made.patches, inverse: made.inverse },
    });
    await until(async () => (await readSong(on.server.address, id)).document.parts[0]!.takes[0]!.edits.length === 1);
    const edited = struckIn(await readSong(on.server.address, id));
    expect(edited[0]).toBeCloseTo(0.51 + 0.0625, 2);

    await time.hold();
    await time.listen();
    await soundAgain(timed, /^Sound all 8 bars$/);
    // Notes played meanwhile do not reach the instrument.
    await time.press(80, 3, 3.1);
    await ends(timed);
    const song = await recorded(id, 2, 1);
    expect(song.document.parts[0]!.soundedAgain).toHaveLength(1);
    expect(song.document.parts[0]!.heardAs).toBe('recorded');
    const struck = struckIn(song);
    meet(await heardOnsets(song), struck);
    // The click, the program's instrument and the take's own sound were silent.
    const { samples } = await time.heard();
    expect(samples.reduce((most, s) => Math.max(most, Math.abs(s)), 0)).toBeLessThan(QUIET);

    await openSound(page);
    await again(page).getByText('heard', { exact: true }).waitFor();
    await page.keyboard.press('Escape');

    // Untreated, the take's own sound is heard, at its own times.
    await time.hold();
    await page.keyboard.press('Home');
    await page.keyboard.down('b');
    await time.roll(() => page.keyboard.press('Space'));
    await time.to(3.5);
    const asPlayed = await time.heard();
    const anchor = (await page.evaluate('tallKettle.anchor()')) as Anchor;
    const rate = (await page.evaluate('standIn.context().sampleRate')) as number;
    const onsets = onsetsIn(asPlayed.samples, rate).map((frame) => songTime(anchor, (asPlayed.from + frame) / rate));
    meet(onsets, struckIn(played));
    await page.keyboard.up('b');
    await page.keyboard.press('Space');
    await time.state('Ready');
    await time.free();

    await page.keyboard.press('u');
    await until(async () => (await readSong(on.server.address, id)).document.parts[0]!.soundedAgain.length === 0);
    await page.keyboard.press('y');
    await until(async () => (await readSong(on.server.address, id)).document.parts[0]!.soundedAgain.length === 1);
    await page.reload();
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    await openSound(page);
    await again(page).getByText('heard', { exact: true }).waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('goes out by a MIDI port, each message with its time, and bars that were not sounded whole are left', async () => {
    const browser = await launch(['--use-fake-device-for-media-stream', '--use-fake-ui-for-media-stream']);
    const brief = { ...newSong('x', 'piano').brief, range: { from: 3840, to: 4 * 3840 }, punchIn: false } as const;
    const timed = await play({ brief: { ...brief, punchOut: false } }, browser, async (context) => {
      await withKeyboard(context);
      // The simulated device plays no streams, so no input arrives.
      await context.addInitScript(
        'window.MediaStreamAudioSourceNode = class extends GainNode { constructor(context) { super(context); } }',
      );
    });
    const { page, context, time, id } = timed;
    await take(timed, [0.5, 1.25, 2.25, 3.25]);
    await until(async () => (await readSong(on.server.address, id)).document.parts[0]!.takes.length === 1);
    await openSound(page);
    await page.getByRole('button', { name: 'Look for inputs' }).click();
    await choose(page, 'Input of Piano', 'Fake Audio Input 1');
    await again(page).getByText('Choose the instrument that it is played out to.').waitFor();
    await choose(page, 'Instrument that Piano is played out to', 'Rack organ');
    await page.keyboard.press('Escape');
    await soundAgain(timed, 'Sound bars 2–4');
    await time.to(3.2);
    await page.keyboard.press('Space');
    await ends(timed);
    const song = await until(async () => {
      const now = await readSong(on.server.address, id);
      return now.document.parts[0]!.soundedAgain.length === 1 && now;
    });
    const [sounded] = song.document.parts[0]!.soundedAgain;
    // The last note was stopped in its middle.
    expect([sounded!.first, sounded!.bars.length]).toEqual([2, 2]);
    const sent = (await page.evaluate('midiSentAt')) as { bytes: number[]; at: number }[];
    const played = sent.filter(({ bytes }) => bytes[0] === 0x90);
    const lined = struckIn(song);
    // Messages begin a bar ahead; the last one was handed to the port half a second ahead.
    expect(played).toHaveLength(4);
    const ahead = await Promise.all(lined.map((at) => time.of(at)));
    played.forEach(({ at }, i) => expect(Math.abs(at - ahead[i]!)).toBeLessThan(1));
    // Nothing sounds on.
    for (const { at } of played) expect(sent.some((s) => s.bytes[0] === 0x80 && s.at > at)).toBe(true);
    expect(sent.filter(({ bytes }) => bytes[0] === 0x80)).toHaveLength(4);
    await context.close();
    await browser.close();
  });
});

describe('an input of the machine', () => {
  it('is found by its name, shows its level, and is recorded', async () => {
    const browser = await launch(['--use-fake-device-for-media-stream', '--use-fake-ui-for-media-stream']);
    const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: BPM }] });
    const { page, context } = await openPage(browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await footplate(page).getByText('Ready', { exact: true }).waitFor();
    await openSound(page);
    await page.getByRole('button', { name: 'Look for inputs' }).click();
    await choose(page, 'Input of Piano', 'Fake Audio Input 1');
    const meter = page.getByRole('meter', { name: 'Level of Fake Audio Input 1, dBFS' });
    await until(async () => Number(await meter.getAttribute('aria-valuenow')) > -40);
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    await footplate(page).getByText('Recording', { exact: true }).waitFor();
    await page.waitForTimeout(2500);
    await page.evaluate('midiSend([0x90, 60, 90]); midiSend([0x80, 60, 64])');
    await page.keyboard.press('Space');
    const song = await recorded(id, 1);
    const [made] = song.recordings;
    expect(made!.from).toBe('Fake Audio Input 1');
    const samples = await samplesOf(made!);
    // On a slow machine all input is still there: the fake device beeps about every second.
    expect(samples.length).toBeGreaterThan(made!.rate);
    expect(samples.reduce((most, s) => Math.max(most, Math.abs(s)), 0)).toBeGreaterThan(0.05);
    await context.close();
    await browser.close();
  });
});
