import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { newSong } from '~~/core/document/document';
import { change } from '~~/core/song/changes';
import type { HistoryRow } from '~~/core/song/history';
import type { QueuedRequest } from '~/sync/store';
import { showSong } from '~/testing/shownSong';
import { useOpenSong } from './openSong';
import type { useSong } from './song';

const known = vi.hoisted(() => ({
  queued: [] as unknown[],
  said: [] as string[],
  /** Answers for older steps, in turn; an error where the server is away. */
  asked: [] as string[],
  steps: null as null | (() => Promise<unknown>),
}));
vi.mock('~/sync/sync', () => ({ useSync: () => ({ enqueue: (request: unknown) => known.queued.push(request) }) }));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('~/api/api', () => ({
  ask: (path: string) => {
    known.asked.push(path);
    return known.steps!();
  },
}));
vi.mock('./layers', () => ({ useLayers: () => ({ closed: new Map() }) }));
vi.mock('./recordings', () => ({ useRecordings: () => ({ all: new Map() }) }));

const document = newSong('Causeway', 'piano');
const shown = (over: object = {}): ReturnType<typeof useSong> =>
  showSong(document, { revision: 4, lastChange: 'fourth', ...over });
const nudgeOf = (song: ReturnType<typeof useSong>): number => song.document!.parts[0]!.placement.nudge;
const place = (nudge: number) => ({ type: 'place part', part: 'piano', policy: 'played', nudge }) as const;
/** Row of a change that was made before the song was shown. */
function earlier(revision: number, nudge: number): HistoryRow {
  const { patches, inverse } = change(document, place(nudge));
  return { revision, id: `change ${revision}`, kind: 'do', name: 'place part', patches, inverse };
}

beforeEach(() => {
  setActivePinia(createPinia());
  Object.assign(known, { queued: [], said: [], asked: [], steps: () => Promise.reject(new Error('away')) });
});

describe('a change', () => {
  it('is in the song at once, and queued with the revision and the change that it was made on', () => {
    const song = shown();
    song.run(place(12));
    song.run(place(20));
    expect([nudgeOf(song), song.revision]).toEqual([20, 6]);
    const bodies = known.queued.map((request) => (request as QueuedRequest).body as { base: number; after: string });
    expect(bodies.map(({ base }) => base)).toEqual([4, 5]);
    expect(bodies[0]!.after).toBe('fourth');
    expect(bodies[1]!.after).toBe((bodies[0] as unknown as { id: string }).id);
  });

  it('that changes nothing leaves no step and is not sent', () => {
    const song = shown();
    song.run({ type: 'set song', to: { title: 'Causeway' } });
    expect([known.queued.length, song.revision]).toEqual([0, 4]);
  });

  it('is undone and redone as changes of their own, with what it was called', () => {
    const song = shown();
    song.run(place(12));
    expect(song.undoWords).toBe('the placement');
    expect([song.undo(), nudgeOf(song)]).toEqual([true, 0]);
    expect([song.undo(), song.undoWords]).toEqual([false, undefined]);
    expect([song.redo(), nudgeOf(song)]).toEqual([true, 12]);
    expect(song.redo()).toBe(false);
    expect(known.queued.map((request) => ((request as QueuedRequest).body as { kind: string }).kind)).toEqual([
      'do',
      'undo',
      'redo',
    ]);
  });

  it('of a setting is no step of Undo', () => {
    const song = shown();
    song.run(place(12));
    useOpenSong().setPart('piano', { name: 'Upright' });
    song.undo();
    expect([nudgeOf(song), song.document!.parts[0]!.name]).toEqual([0, 'Upright']);
  });
});

describe('steps that are still at the server', () => {
  it('are fetched before those at hand run out, and an undo that waits for them is done when they come', async () => {
    let answer = (_: unknown): void => {};
    known.steps = () => new Promise((done) => (answer = done));
    const before = change(document, place(7)).document;
    const song = shown({ document: before, older: 1, stacks: { done: [], undone: [] } });
    expect(known.asked).toEqual(['/api/songs/song/steps?before=5']);
    expect([song.undo(), nudgeOf(song)]).toEqual([true, 7]);
    answer({ rows: [earlier(4, 7)], older: 0 });
    await vi.waitFor(() => expect(nudgeOf(song)).toBe(0));
    expect(song.undo()).toBe(false);
  });

  it('that cannot be read are said, and the undo is not kept for later', async () => {
    const song = shown({ older: 3 });
    song.undo();
    await vi.waitFor(() => expect(known.said).toHaveLength(1));
    expect(known.said[0]).toContain('Undo once more');
  });

  it('of a song that is no longer shown are left alone', async () => {
    const answers: ((steps: unknown) => void)[] = [];
    known.steps = () => new Promise((done) => answers.push(done));
    const song = shown({ older: 1 });
    showSong(document, { id: 'other' });
    answers[0]!({ rows: [earlier(4, 7)], older: 0 });
    await new Promise((done) => setTimeout(done));
    expect(song.stacks.done).toEqual([]);
  });
});

describe('changes that waited in the browser', () => {
  const waiting = (base: number, after: string | null, nudge: number): QueuedRequest =>
    ({
      path: '/api/songs/song/changes',
      body: { ...earlier(0, nudge), id: `waited ${nudge}`, base, after },
    }) as unknown as QueuedRequest;

  it('are made again where the song is as it was', () => {
    const song = shown();
    song.catchUp([waiting(4, 'fourth', 9), { path: '/api/layers' } as unknown as QueuedRequest]);
    expect([nudgeOf(song), song.revision]).toEqual([9, 5]);
    expect(known.queued).toEqual([]);
  });

  it('are not made on a song of the same revision that another window changed, or one that has them', () => {
    const song = shown();
    song.catchUp([waiting(4, 'another', 9), waiting(3, 'third', 8)]);
    expect([nudgeOf(song), song.revision]).toEqual([0, 4]);
  });
});

it('the open song throws while there is none', () => {
  expect(() => useOpenSong().document).toThrow('No song is open');
  expect(() => useOpenSong().maps).toThrow('No song is open');
  shown();
  expect(useOpenSong().maps.end).toBeGreaterThan(0);
});
