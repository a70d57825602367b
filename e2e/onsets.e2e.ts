import { beforeEach, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { study } from '../demo/sheets';
import { newSong, type SongDocument } from '../core/document/document';
import { meterMap } from '../core/time/meter';
import { openTimed, type Time, type Timed } from '../harness/clock/time';
import { addSong, putDevice, readSong, until } from '../harness/server';
import { lineOf } from '../harness/played';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';

const on = trial();
const BPM = 240;
/** Length of a quarter, in seconds. */
const QUARTER = 60 / BPM;

// Settings of a keyboard from one test do not reach the next.
beforeEach(() => putDevice(on.server.address, 'bench', { on: false }));

async function play(bars: number, over: Partial<SongDocument> = {}, trouble = {}): Promise<Timed & { id: string }> {
  const id = await addSong(on.server.address, { bars, tempo: [{ tick: 0, bpm: BPM }], ...over });
  return { id, ...(await openTimed(on.browser, on.server.address, `/songs/${id}/play`, trouble)) };
}
const taken = (id: string): Promise<OpenedSong> =>
  until(async () => {
    const song = await readSong(on.server.address, id);
    return song.document.parts[0]!.takes.length === 1 && song;
  });
async function benchPlays(page: Page, late = 0): Promise<void> {
  await page.locator('[data-control=keyboard]').click();
  await page.getByLabel('Bench keyboard on').setChecked(true);
  await page.getByLabel('Looseness of the Bench keyboard in milliseconds').fill('0');
  await page.keyboard.press('Escape');
  await page.evaluate(`void (tallKettle.bench.lateness = ${late})`);
}
/**
 * Largest error of the recorded notes against the written part, in milliseconds; all notes have to be there, and no
 * others.
 */
function worstOf(song: OpenedSong, bars: number): number {
  const written = study(meterMap(song.document.meter), bars)
    .notes.map((n) => ({ key: n.key, at: n.start / 960 }))
    .sort((a, b) => a.at - b.at || a.key - b.key);
  const played = lineOf(song)
    .map((n) => ({ key: n.key, at: n.from }))
    .sort((a, b) => Math.round((a.at - b.at) * 8) || a.key - b.key);
  expect(played.map((n) => n.key)).toEqual(written.map((n) => n.key));
  return Math.max(...played.map((n, i) => Math.abs(n.at - written[i]!.at) * QUARTER * 1000));
}
const onsetsOf = (song: OpenedSong): number[] =>
  song.layers[0]!.events.flatMap((e) => (e.message.type === 'noteOn' ? [e.at] : []));
/** Plays a key at given seconds of the song, as rendered. */
async function playAt(time: Time, seconds: readonly number[], late = 0): Promise<void> {
  for (const at of seconds) await time.press(60, at, at + 0.02, { late });
}

describe('a note lands where it was made, to the thousandth of a millisecond', () => {
  it.each([
    [16, 0, false],
    [64, 40, true],
  ])('in a performance of %i bars, events up to %i ms late, the page busy: %s', async (bars, late, busy) => {
    const { page, context, time, id } = await play(bars);
    await benchPlays(page, late);
    await time.roll(() => page.keyboard.press('r'));
    // Sixty milliseconds of work in every eighty.
    const from = await time.of(-1);
    if (busy)
      await page.evaluate(`for (let at = ${from}; at < ${from} + 66e3; at += 80) standIn.busy.push({ at, for: 60 })`);
    await time.state('Recording');
    await time.state('Ready');
    await time.free();
    const song = await taken(id);
    expect(worstOf(song, bars)).toBeLessThan(0.001);
    await context.close();
  });

  it('when the page is busy for 300 ms, and when it comes to a note long after', async () => {
    const { page, context, time, id } = await play(8);
    await time.roll(() => page.keyboard.press('r'));
    await time.busy(await time.of(0.95), 300);
    await playAt(time, [0.5, 1, 1.1, 1.2, 1.5]);
    await playAt(time, [2, 2.6], 350);
    await time.to(4);
    await page.keyboard.press('r');
    await time.free();
    onsetsOf(await taken(id)).forEach((at, i) => expect(at).toBeCloseTo([0.5, 1, 1.1, 1.2, 1.5, 2, 2.6][i]!, 6));
    await context.close();
  });

  it('and the click is heard on the frame of its beat', async () => {
    const { page, context, time } = await play(4);
    await time.hold();
    await time.listen();
    await time.roll(() => page.keyboard.press('r'));
    await time.to(2.1);
    const anchor = (await page.evaluate('tallKettle.anchor()')) as { context: number; song: number };
    const { from, samples } = await time.heard();
    // An onset has a twentieth of a second of silence before it.
    const strokes: number[] = [];
    let quiet = Infinity;
    samples.forEach((sample, i) => {
      if (Math.abs(sample) > 1e-5) {
        if (quiet > 2400) strokes.push(from + i);
        quiet = 0;
      } else quiet += 1;
    });
    const beats = Array.from({ length: strokes.length }, (_, i) => Math.round((anchor.context + i * QUARTER) * 48_000));
    expect(strokes.length).toBe(13);
    strokes.forEach((stroke, i) => expect(Math.abs(stroke - beats[i]!)).toBeLessThanOrEqual(1));
    await context.close();
  });
});

describe('the output latency', () => {
  it.each([
    ['heard', 0],
    ['played', 0.06],
  ] as const)('of 60 ms: as I %s it', async (policy, off) => {
    const [piano] = newSong('', 'piano').parts;
    const { page, context, time, id } = await play(
      8,
      { parts: [{ ...piano!, placement: { policy, nudge: 0 } }] },
      { output: 0.06 },
    );
    await time.roll(() => page.keyboard.press('r'));
    // As rendered for players who listen to the program; as heard for those who listen to the keyboard.
    await playAt(time, [0.5 + off, 1 + off, 1.75 + off]);
    await time.to(3);
    await page.keyboard.press('r');
    await time.free();
    const song = await taken(id);
    expect(song.layers[0]!.header.latency.output).toBeCloseTo(0.06, 9);
    lineOf(song).forEach((n, i) => expect(n.from).toBeCloseTo([2, 4, 7][i]!, 4));
    await context.close();
  });
});

describe('two clocks', () => {
  it.each([100, -100])(
    '%i in a million apart: no note is off by a millisecond, and soon none by a tenth of one',
    async (drift) => {
      const { page, context, time, id } = await play(40, {}, { drift });
      await time.roll(() => page.keyboard.press('r'));
      const beats = Array.from({ length: 37 }, (_, i) => 1 + i);
      await playAt(time, beats);
      await time.to(39);
      await page.keyboard.press('r');
      await time.free();
      const off = onsetsOf(await taken(id)).map((at, i) => Math.abs(at - beats[i]!) * 1000);
      expect(off).toHaveLength(37);
      expect(Math.max(...off)).toBeLessThan(1);
      expect(Math.max(...off.slice(10))).toBeLessThan(0.1);
      await context.close();
    },
  );

  it('when the device runs dry for 23 ms at bar 12: only what it had not shown goes by the line before', async () => {
    const { page, context, time, id } = await play(24);
    await time.roll(() => page.keyboard.press('r'));
    const DRY = 0.023;
    const bar12 = 11;
    const began = await time.of(bar12);
    await time.dry(began, DRY * 1000);
    // Page times after the start of the dropout; the last one is in sound heard before it.
    const before = [1, 5, 10.9];
    await playAt(time, before);
    // During the dropout the music stands still, and so does a note's place.
    const inside = 12;
    // Two readings make a new line.
    const after = [DRY * 1000 + 25, 250, 1000, 4000];
    for (const ms of [inside, ...after]) {
      await time.send([0x90, 61, 90], began + ms);
      await time.send([0x80, 61, 64], began + ms + 8);
    }
    // Just after it the page cannot know yet whether the device ran dry before or after the note.
    await time.send([0x90, 62, 90], began + DRY * 1000 + 3, 60);
    await time.send([0x80, 62, 64], began + DRY * 1000 + 9, 60);
    await time.to(18);
    await page.keyboard.press('r');
    await time.free();
    const song = await taken(id);
    const at = (key: number) =>
      song.layers[0]!.events.flatMap((e) => (e.message.type === 'noteOn' && e.message.key === key ? [e.at] : []));
    at(60).forEach((s, i) => expect(s).toBeCloseTo(before[i]!, 6));
    const [dry, ...known] = at(61);
    expect(dry! - bar12).toBeGreaterThanOrEqual(0);
    expect(dry! - bar12).toBeLessThanOrEqual(DRY);
    known.forEach((s, i) => expect(s - bar12).toBeCloseTo(after[i]! / 1000 - DRY, 5));
    expect(at(62)[0]! - bar12).toBeGreaterThanOrEqual(0);
    expect(at(62)[0]! - bar12).toBeLessThan(DRY + 0.0031);
    await context.close();
  });
});
