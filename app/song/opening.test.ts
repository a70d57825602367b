import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { newSong, type SongDocument } from '~~/core/document/document';
import { header } from '~~/core/testing/arbitraries';
import type { Layer } from '~~/core/takes/layer';
import type { QueuedRequest } from '~/sync/store';
import { noteAt, sentSong } from '~/testing/shownSong';
import { useOpening } from './opening';
import { useSong } from './song';

type Heard = { readonly song: string; readonly revision: number } | null;
const known = vi.hoisted(() => ({
  /** The server's song, asked for by each reading. */
  there: null as unknown,
  asked: 0,
  /** Holds the server's answers back until it resolves. */
  held: Promise.resolve(),
  waiting: [] as unknown[],
  /** Layers that a window of this browser records. */
  recorded: new Set<string>(),
  finished: [] as string[],
  said: [] as string[],
  heard: (_: unknown): void => {},
}));
vi.mock('~/api/api', () => ({
  ServerSaid: class extends Error {},
  isPassing: () => false,
  askRevision: () => Promise.resolve(null),
  askSong: () => {
    known.asked += 1;
    const answer = known.there;
    return known.held.then(() => answer);
  },
}));
vi.mock('~~/core/takes/packed', async (original) => ({ ...(await original<object>()), unpacked: (l: unknown) => l }));
vi.mock('~/sync/arrivals', () => ({ strandedLayers: () => Promise.resolve([]) }));
vi.mock('~/sync/store', () => ({ anyQueued: () => Promise.resolve(known.waiting.length > 0) }));
vi.mock('~/sync/sync', () => ({
  useSync: () => ({
    isHanding: () => false,
    carry: () => Promise.resolve(),
    waiting: () => Promise.resolve(known.waiting),
    enqueue: () => {},
    follow: () => {},
    followFeed: (heard: (changed: unknown) => void) => (known.heard = heard),
  }),
}));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('./browser', () => ({ thisBrowser: () => 'here' }));
vi.mock('./recordings', () => ({ useRecordings: () => ({ all: new Map(), show: () => {}, settle: () => {} }) }));
vi.mock('./layers', () => ({
  useLayers: () => ({
    ...{ closed: new Map<string, Layer>(), modes: new Map(), onTheirWay: new Set() },
    isRecorded: (id: string) => Promise.resolve(known.recorded.has(id)),
    finish: (layer: Layer) => known.finished.push(layer.header.id),
  }),
}));

const MINUTE = 60_000;
const PLAYED = [...noteAt(1, 1.5), ...noteAt(3, 9).slice(0, 1)];
const left = (over: object = {}) => ({
  ...{ header: header({ partId: 'piano' }), mode: 'new take', closing: null, events: PLAYED },
  ...{ by: 'here', fedAgo: MINUTE, taken: false },
  ...over,
});
function stored(layers: readonly object[], over: { revision?: number; document?: SongDocument } = {}): void {
  const document = over.document ?? newSong('Causeway', 'piano');
  known.there = sentSong(document, { layers, recordings: [], openRecordings: [], ...over });
}
const takes = () => useSong().document!.parts[0]!.takes.map((t) => t.layers);

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  known.recorded.clear();
  Object.assign(known, { asked: 0, held: Promise.resolve(), waiting: [], finished: [], said: [] });
});
afterEach(() => vi.useRealTimers());

describe('a pass that was cut off', () => {
  it('is closed and becomes the take that it would have been, which is said', async () => {
    stored([left()]);
    await useOpening().load('song');
    expect([known.finished, takes()]).toEqual([['layer'], [['layer']]]);
    expect(known.said).toEqual([expect.stringContaining('kept as a take of Piano')]);
  });

  it('in which nothing was played is closed, and nothing is said to be kept', async () => {
    stored([left({ events: [] })]);
    await useOpening().load('song');
    expect([known.finished, takes(), known.said]).toEqual([['layer'], [], []]);
  });

  it('is left alone while another window records it, and looked at again', async () => {
    stored([left()]);
    known.recorded.add('layer');
    await useOpening().load('song');
    expect([known.finished, takes()]).toEqual([[], []]);
    known.recorded.clear();
    await vi.advanceTimersByTimeAsync(13_000);
    expect([known.asked, known.finished, takes()]).toEqual([2, ['layer'], [['layer']]]);
  });

  it('is left alone while another browser feeds it, however long this one has waited for the song', async () => {
    stored([left({ by: 'elsewhere', fedAgo: 2000 })]);
    await useOpening().load('song');
    expect([known.finished, takes()]).toEqual([[], []]);
    stored([left({ by: 'elsewhere', fedAgo: MINUTE })]);
    await vi.advanceTimersByTimeAsync(13_000);
    expect(takes()).toEqual([['layer']]);
  });

  it('is not closed before what this browser still holds of it has been sent', async () => {
    known.waiting = [{ path: '/api/layers/layer/events', body: {} } as QueuedRequest];
    stored([left()]);
    await useOpening().load('song');
    expect(known.finished).toEqual([]);
    known.waiting = [];
    await vi.advanceTimersByTimeAsync(3000);
    expect([known.finished, takes()]).toEqual([['layer'], [['layer']]]);
  });
});

describe('a pass that was closed without its take', () => {
  const closing = { range: { from: 0, to: 4 * 3840 }, clears: [] };

  it('gets it', async () => {
    stored([left({ closing })]);
    await useOpening().load('song');
    expect([known.finished, takes()]).toEqual([[], [['layer']]]);
  });

  it('whose take was undone stays undone', async () => {
    stored([left({ closing, taken: true })]);
    await useOpening().load('song');
    expect(takes()).toEqual([]);
  });
});

describe('a song that changes elsewhere', () => {
  it('while it is loading is read again', async () => {
    let answer = (): void => {};
    known.held = new Promise<void>((done) => (answer = done));
    stored([]);
    const loading = useOpening().load('song');
    await vi.advanceTimersByTimeAsync(0);
    expect(known.asked).toBe(1);
    known.heard({ song: 'song', revision: 2 } satisfies Heard);
    stored([], { revision: 2 });
    answer();
    await loading;
    expect(useSong().revision).toBe(1);
    await vi.advanceTimersByTimeAsync(0);
    expect(useSong().revision).toBe(2);
  });

  it('is read again once, and another song’s changes are nothing to it', async () => {
    stored([]);
    await useOpening().load('song');
    known.heard({ song: 'other', revision: 9 } satisfies Heard);
    await vi.advanceTimersByTimeAsync(0);
    expect(known.asked).toBe(1);
    stored([], { revision: 3, document: { ...newSong('Causeway', 'piano'), notes: 'from elsewhere' } });
    known.heard({ song: 'song', revision: 3 } satisfies Heard);
    await vi.advanceTimersByTimeAsync(0);
    expect([known.asked, useSong().document!.notes]).toEqual([2, 'from elsewhere']);
  });
});
