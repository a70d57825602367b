import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { reactive, shallowReactive } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import { USUAL } from '~~/core/timing/recipe';
import { layerOf, noteAt, withTakes } from '~/testing/shownSong';
import { useReading } from './reading';

const BAR = 3840;
const range = { from: 0, to: 4 * BAR };
/** Four notes, each a little late. */
const layer = layerOf(
  'take',
  range,
  [0, 1, 2, 3].flatMap((n) => noteAt(n + 0.03, n + 0.4)),
);
const played = (): SongDocument => withTakes(['take'], range, 8);
const treated = (song: SongDocument): SongDocument => ({
  ...song,
  parts: [{ ...song.parts[0]!, treatments: [{ id: 't', ...range, ...USUAL, strength: 1 }] }],
});

const known = vi.hoisted(() => ({
  song: {} as { document: unknown },
  finding: null as Promise<void> | null,
}));
vi.mock('./findingLines', () => ({ findLines: () => known.finding }));
vi.mock('./song', () => ({ useSong: () => known.song }));
vi.mock('./layers', () => ({ useLayers: () => reactive({ closed: new Map([['layer take', layer]]) }) }));
vi.mock('./recordings', () => ({ useRecordings: () => reactive({ all: new Map() }) }));

beforeEach(() => {
  setActivePinia(createPinia());
  known.song = shallowReactive({ document: played() });
  known.finding = null;
});

describe('lines that are found elsewhere', () => {
  const startsOf = (reading: ReturnType<typeof useReading>) =>
    reading.lines.get('piano')!.notes.map((n) => Math.round(n.start) % 960 !== 0);

  it('are shown as far as they are known, and whole once they have come', async () => {
    const reading = useReading();
    expect(startsOf(reading)).toEqual([true, true, true, true]);
    let came = (): void => {};
    known.finding = new Promise<void>((done) => (came = done));
    known.song.document = treated(known.song.document as SongDocument);
    const soFar = reading.lines.get('piano')!;
    expect(startsOf(reading)).toEqual([true, true, true, true]);
    expect([...reading.unfound]).toEqual(['piano']);
    // A change that has nothing to do with it begins nothing anew.
    known.song.document = { ...(known.song.document as SongDocument), title: 'Low Tide' };
    expect(reading.lines.get('piano')).toBe(soFar);
    came();
    await reading.settled();
    expect(startsOf(reading)).toEqual([false, false, false, false]);
    expect([...reading.unfound]).toEqual([]);
  });

  it('are found here where nothing has to be waited for', async () => {
    const reading = useReading();
    known.song.document = treated(known.song.document as SongDocument);
    expect(startsOf(reading)).toEqual([false, false, false, false]);
    await reading.settled();
  });
});
