import { WaveFile } from 'wavefile';
import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import type { SongDocument } from '../core/document/document';
import { mapsOf } from '../core/document/maps';
import { readerOf } from '../core/song/reading';
import { soundOfLine, type HeardSound } from '../core/song/sound';
import type { Recording } from '../core/takes/sound';
import { openTimed, type Timed } from './clock/time';
import { choose, open } from './browser';
import { addSong, readSong, until } from './server';
import { lineOf } from './played';
import { trial } from './trial';
import type { OpenedSong } from './types';

const on = trial();
const BPM = 240;

async function play(over: Partial<SongDocument> = {}): Promise<Timed & { id: string }> {
  const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: BPM }], ...over });
  return { id, ...(await openTimed(on.browser, on.server.address, `/songs/${id}/play`)) };
}

const soundMenu = (page: Page, part = 'Piano') =>
  page.getByRole('button', { name: new RegExp(`^${part}’s sound`) }).click();
async function withInstrument(page: Page): Promise<void> {
  await soundMenu(page);
  await choose(page, 'Input of Piano', 'Bench instrument');
  await page.getByRole('meter', { name: 'Level of Bench instrument, dBFS' }).waitFor();
  await page.keyboard.press('Escape');
}

/** The song once its recordings are closed, as many as there should be. */
const recorded = (id: string, count: number): Promise<OpenedSong> =>
  until(async () => {
    const song = await readSong(on.server.address, id);
    return song.recordings.length === count && song.layers.every((l) => l.closing) && song;
  });

async function samplesOf({ audio }: Recording): Promise<Float64Array> {
  const response = await fetch(`${on.server.address}/api/audio/${audio}`);
  const wav = new WaveFile(new Uint8Array(await response.arrayBuffer()));
  const sides = wav.getSamples(false) as unknown as Float64Array[] | Float64Array;
  return Array.isArray(sides) ? sides[0]! : (sides as Float64Array);
}

const QUIET = 0.002;
/** Where sound comes up out of silence, in frames. */
function onsetsIn(samples: ArrayLike<number>, rate: number): number[] {
  const found: number[] = [];
  let silentSince = -Infinity;
  let last = -Infinity;
  for (let i = 0; i < samples.length; i += 1) {
    if (Math.abs(samples[i]!) < QUIET) continue;
    if (i - Math.max(last, silentSince) > rate * 0.05) found.push(i);
    last = i;
  }
  return found;
}

/** Where in the song something begins in what is heard of its recordings, in seconds. */
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
  return all;
}
const MS = 0.001;

describe('an instrument outside', () => {
  it('is recorded beside the keys, and what is heard of it lies where they were struck', async () => {
    const { page, context, time, id, errors } = await play();
    await withInstrument(page);
    await page.getByText('and the sound from Bench instrument').first().waitFor();
    await time.roll(() => page.keyboard.press('r'));
    for (const at of [0.5, 1.25, 2.5]) await time.strike(60, at, at + 0.1);
    await time.to(4);
    await page.keyboard.press('Space');
    await time.state('Ready');
    await time.free();
    const song = await recorded(id, 1);
    const struck = lineOf(song).map((n) => (n.from * 60) / BPM);
    expect(struck).toHaveLength(3);
    const heard = await heardOnsets(song);
    expect(heard).toHaveLength(3);
    heard.forEach((at, i) => expect(Math.abs(at - struck[i]!)).toBeLessThan(MS));
    expect(song.recordings[0]).toMatchObject({ channels: 2, from: 'Bench instrument' });
    expect(errors).toEqual([]);
    await context.close();
  });
});
