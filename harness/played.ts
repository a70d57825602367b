import { readFileSync } from 'node:fs';
import type { Page } from 'playwright-core';
import { newSong, type SongDocument } from '../core/document/document';
import { newTake } from '../core/document/take';
import { eventsFromReading, type Note, type Reading } from '../core/performance/notes';
import { readPart, songReader } from '../core/reading/reading';
import { barStart } from '../core/time/meter';
import type { Layer, LayerEvent, LayerHeader } from '../core/takes/layer';
import { addSong, fourFour, post, put, readSong, until } from './server';
import { readMidiFile, type MidiSong } from '../core/files/smf';
import type { OpenedSong } from './types';

/** Quarter notes of one key, present before a pass. */
export const OLD = 50;

/**
 * Song whose piano has given takes over all bars, the last one picked.
 * @param over fields of the song; its parts follow the piano
 */
export async function addTakenSong(
  address: string,
  bars: number,
  bpm: number,
  takes: readonly Reading[],
  over: Partial<SongDocument> = {},
): Promise<string> {
  const tempo = [{ tick: 0, bpm }];
  const key = `${Date.now()}-${Math.random().toString(36).slice(2)}`;
  const range = { from: 0, to: barStart(fourFour, bars + 1) };
  const placement = { policy: 'heard', nudge: 0 } as const;
  const [piano] = newSong('', 'piano').parts;
  const at = '2026-01-01T00:00:00.000Z';
  const made = takes.map((_, i) =>
    newTake({ id: `take-${key}-${i}`, number: i + 1, layers: [`layer-${key}-${i}`], ...range, placement, at }),
  );
  const comp = [{ ...range, takeId: made.at(-1)!.id }];
  const parts = [{ ...piano!, takes: made, comp }, ...(over.parts ?? [])];
  const id = await addSong(address, { tempo, bars, ...over, parts });
  for (const [i, take] of takes.entries()) {
    const header: LayerHeader = {
      id: made[i]!.layers[0]!,
      partId: 'piano',
      passId: `pass-${key}-${i}`,
      takeId: made[i]!.id,
      source: 'pass',
      from: 'Stage keyboard',
      startedAt: at,
      tempo,
      latency: { output: 0, input: 0 },
      placement,
      planned: range,
      early: 240,
      quantize: null,
    };
    await post(address, '/api/layers', { songId: id, header, mode: 'new take' });
    const events = eventsFromReading(take).map((e): LayerEvent => ({
      at: (e.at * 60) / bpm / 960,
      message: e.message,
    }));
    await put(address, `/api/layers/${header.id}/chunks/1`, { events });
    await post(address, `/api/layers/${header.id}/close`, { range, clears: [] });
  }
  return id;
}

/** Song whose piano has a quarter note on every beat of some bars. */
export function addPlayedSong(
  address: string,
  bars: number,
  bpm: number,
  over: Partial<SongDocument> = {},
): Promise<string> {
  const notes = Array.from({ length: bars * 4 }, (_, i): Note => {
    const start = i * 960;
    return { id: `n${i}`, key: OLD, velocity: 80, release: 64, start, end: start + 864 };
  });
  return addTakenSong(address, bars, bpm, [{ notes, controls: [] }], over);
}

const layersOf = (song: OpenedSong) =>
  new Map(
    song.layers.flatMap((l): [string, Layer][] => (l.closing ? [[l.header.id, { ...l, closing: l.closing }]] : [])),
  );

/** Line of a part as the server has it: key, start and end in quarters. */
export function lineOf(song: OpenedSong, index = 0): { key: number; from: number; to: number }[] {
  return readPart(song.document.parts[index]!, songReader(song.document, layersOf(song)).read).notes.map((n) => ({
    key: n.key,
    from: n.start / 960,
    to: n.end / 960,
  }));
}

/** Song once a pass is stored: everything is on the server, and it has a number of layers. */
export const putAway = (address: string, id: string, layers: number, within?: number): Promise<OpenedSong> =>
  until(async () => {
    const song = await readSong(address, id);
    return song.layers.filter((l) => l.closing).length >= layers && song;
  }, within);

/** Plays a key of the simulated keyboard for a while. */
export const press = (page: Page, key: number, forMs = 150): Promise<void> =>
  page.evaluate(
    `(async () => { const now = performance.now(); midiSend([0x90, ${key}, 90], now); await new ` +
      `Promise((d) => setTimeout(d, ${forMs})); midiSend([0x80, ${key}, 64], now + ${forMs}); })()`,
  ) as Promise<void>;

/** Sets the bars in the brief. */
export async function chooseBars(page: Page, first: number, last: number): Promise<void> {
  await page.locator('[data-control=where]').click();
  for (const [label, value] of [
    ['From bar', first],
    ['To the end of bar', last],
  ] as const) {
    await page.getByRole('textbox', { name: label }).fill(String(value));
    await page.getByRole('textbox', { name: label }).press('Tab');
  }
}

/** Presses a button that saves a MIDI file, and parses the file. */
export async function saveMidi(page: Page, name: string): Promise<{ readonly name: string; readonly song: MidiSong }> {
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name }).click()]);
  return {
    name: download.suggestedFilename(),
    song: readMidiFile(Uint8Array.from(readFileSync(await download.path()))),
  };
}
