import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { newBacking } from '../core/document/backing';
import { choose, open, pressRecord, state, withKeyboard } from '../harness/browser';
import { wavOfTone } from '../harness/files';
import { addPlayedSong, lineOf, OLD, putAway, press } from '../harness/played';
import { readSong, until } from '../harness/server';
import { trial } from '../harness/trial';

const on = trial();

/** Loudest frequency of the output in hertz, once there is any. */
const loudest = (page: Page): Promise<number> =>
  page.evaluate(`(async () => {
    const { output, context } = tallKettle.engine();
    const analyser = new AnalyserNode(context, { fftSize: 32768, smoothingTimeConstant: 0 });
    output.connect(analyser);
    const bins = new Float32Array(analyser.frequencyBinCount);
    // As long as the analyser's window is.
    const until = context.currentTime + 1.2;
    while (context.currentTime < until) await new Promise((next) => setTimeout(next, 30));
    analyser.getFloatFrequencyData(bins);
    output.disconnect(analyser);
    const at = bins.indexOf(Math.max(...bins));
    return (at * context.sampleRate) / analyser.fftSize;
  })()`) as Promise<number>;

const addSong = async (): Promise<string> => {
  const { address } = on.server;
  const sent = await fetch(`${address}/api/audio`, {
    method: 'POST',
    body: Uint8Array.from(wavOfTone(440, 40).buffer),
  });
  const { hash } = (await sent.json()) as { hash: string };
  const sections = ['Verse', 'Chorus'].map((name) => ({ id: name, name, bars: 4, pattern: null }));
  return addPlayedSong(address, 8, 120, {
    sections,
    key: { fifths: 0, minor: false },
    written: [
      { bar: 1, letter: '', chords: 'Am7 D7', words: '' },
      { bar: 5, letter: '', chords: 'C', words: '' },
    ],
    backings: [newBacking({ id: 'band', name: 'Band', audio: hash, length: 40 })],
  });
};

describe('another key', () => {
  it('is set as a whole or by sections, heard, said in the brief, and taken off again', async () => {
    const id = await addSong();
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/set-up`, withKeyboard);
    await state(page, 'Ready');
    const panel = page.getByRole('region', { name: 'Key', exact: true });
    await panel.getByText('at its own pitch, C major').waitFor();
    await panel.getByRole('button', { name: 'A semitone up' }).click();
    await panel.getByRole('button', { name: 'A semitone up' }).click();
    await panel.getByText('2 semitones up, D major').waitFor();
    // Chord symbols follow on the stand, and the typed text stays.
    await page.getByRole('tab', { name: 'Written part' }).click();
    await page.getByText('the chart, the stand and the sheets have it 2 semitones up').waitFor();
    await page
      .getByRole('link', { name: 'To Play' })
      .or(page.getByRole('button', { name: 'To Play' }))
      .click();
    await page.keyboard.press('s');
    await page.getByRole('region', { name: 'Stand' }).getByText('Bm7 E7').waitFor();
    await page.keyboard.press('Escape');
    const phrase = page.locator('[data-control=key]');
    await expect.poll(() => phrase.textContent()).toContain('2 semitones up');
    // The backing sounds a whole tone higher, at the same length.
    await page.getByRole('button', { name: 'Mute Piano', exact: true }).click();
    await page.keyboard.press(' ');
    const up = 440 * 2 ** (2 / 12);
    await expect.poll(() => loudest(page), { interval: 100 }).toBeCloseTo(up, -0.5);
    // In mid-song it returns to its own key.
    await phrase.click();
    await page.getByRole('button', { name: 'Bars 1 to 8 at their own pitch again' }).click();
    await page.keyboard.press('Escape');
    await expect.poll(() => phrase.count()).toBe(0);
    await page.keyboard.press(' ');
    await page.keyboard.press(' ');
    await expect.poll(() => loudest(page), { interval: 100 }).toBeCloseTo(440, -0.5);
    await page.keyboard.press(' ');
    expect((await readSong(on.server.address, id)).document.transposition).toEqual([]);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('is remembered by what is played in it: the take follows, and says its key', async () => {
    const id = await addSong();
    const { page, context, errors } = await open(on.browser, on.server.address, `/songs/${id}/set-up`, withKeyboard);
    await state(page, 'Ready');
    const panel = page.getByRole('region', { name: 'Key', exact: true });
    await choose(page, 'What is transposed', 'Verse, bars 1–4');
    await panel.getByRole('button', { name: 'A semitone down' }).click();
    await panel.getByText('Bars 1–4', { exact: true }).waitFor();
    await page
      .getByRole('link', { name: 'To Play' })
      .or(page.getByRole('button', { name: 'To Play' }))
      .click();
    await pressRecord(page);
    await state(page, 'Recording');
    await press(page, 71);
    await page.keyboard.press(' ');
    await state(page, 'Ready');
    const song = await putAway(on.server.address, id, 2);
    const own = song.layers.find((l) => l.header.transposition)!;
    expect(own.header.transposition).toEqual([
      { tick: 0, semitones: -1 },
      { tick: 4 * 3840, semitones: 0 },
    ]);
    // Existing notes sound a semitone lower in the verse; new ones sound as played.
    const line = await until(async () => {
      const now = await readSong(on.server.address, id);
      return now.document.parts[0]!.takes.length === 2 && lineOf(now);
    });
    expect(line.filter((n) => n.key === 71)).toHaveLength(1);
    expect(new Set(line.filter((n) => n.key !== 71 && n.from < 15).map((n) => n.key))).toEqual(new Set([OLD - 1]));
    expect(new Set(line.filter((n) => n.from > 17).map((n) => n.key))).toEqual(new Set([OLD]));
    // In the written key the take follows, and tells the key it was played in.
    await page.locator('[data-control=key]').click();
    await page.getByRole('button', { name: 'Bars 1 to 4 at their own pitch again' }).click();
    await page.keyboard.press('Escape');
    await until(async () => {
      const now = lineOf(await readSong(on.server.address, id));
      return now.some((n) => n.key === 72) && now.every((n) => n.key === 72 || n.key === OLD);
    });
    await page.goto(`${on.server.address}/songs/${id}/pick`);
    await page.getByRole('button', { name: /^Take 2: what/ }).click();
    await page.getByText(/^pass, \d\d:\d\d, played in B major\./).waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });
});
