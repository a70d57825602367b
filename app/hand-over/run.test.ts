import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { nextTick, reactive } from 'vue';
import { newSong } from '~~/core/document/document';
import { USUAL_DELIVERY } from '~~/core/handover/delivery';
import { ServerSaid } from '~/api/api';
import { useSong } from '~/song/song';
import { showSong } from '~/testing/shownSong';
import { useRun } from './run';

interface Asked {
  readonly path: string;
  readonly body: unknown;
  readonly method: string | undefined;
}
const known = vi.hoisted(() => ({
  asked: [] as unknown[],
  /** Answers in turn; the last one stays. */
  answers: [] as unknown[],
  sync: {} as { state: string },
  saved: [] as string[],
  said: [] as string[],
  write: (): Promise<string> => Promise.resolve('Deliveries'),
}));
vi.mock('~/api/api', () => {
  class ServerSaid extends Error {
    constructor(
      message: string,
      readonly status: number,
    ) {
      super(message);
    }
  }
  return {
    ServerSaid,
    wordsOf: (error: Error) => error.message,
    ask: async (path: string, body?: unknown, method?: string) => {
      known.asked.push({ path, body, method });
      const answer = known.answers.length > 1 ? known.answers.shift() : known.answers[0];
      if (answer instanceof Error) throw answer;
      return answer;
    },
  };
});
vi.mock('~/sync/sync', () => ({ useSync: () => known.sync }));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('~/notices/longWork', () => ({ useLongWork: () => ({ at: () => {} }) }));
vi.mock('~/controls/save', () => ({ saveFrom: (address: string) => known.saved.push(address) }));
vi.mock('./folder', () => ({ writeIntoFolder: () => known.write() }));
vi.mock('~/song/findingLines', () => ({ findLines: () => null }));
vi.mock('~/song/layers', () => ({ useLayers: () => ({ closed: new Map() }) }));
vi.mock('~/song/recordings', () => ({ useRecordings: () => ({ all: new Map() }) }));

const FILES = [{ file: { name: 'Piano.mid', type: 'midi', parts: ['piano'], played: false, format: 1 } }];
const runIn = (state: string, over: object = {}) => ({
  ...{ id: 'run', state, done: 0.5, files: FILES, version: 3, handed: false, trouble: '' },
  ...over,
});
const away = () => new ServerSaid('The server is away.', 0);
const paths = () => (known.asked as Asked[]).map(({ path, method }) => `${method ?? ''} ${path}`.trim());
const handed = () => useSong().document!.parts[0]!.handed?.version;

const opened = (id = 'song') => showSong(newSong('Causeway', 'piano'), { id, revision: 7 });
/** Makes the files, up to the state that the answers come to. */
async function made(): Promise<ReturnType<typeof useRun>> {
  opened();
  const run = useRun();
  await run.make('all', () => USUAL_DELIVERY);
  await vi.advanceTimersByTimeAsync(2000);
  return run;
}

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  const sync = reactive({ state: 'kept', enqueue: () => {} });
  Object.assign(known, { sync, asked: [], answers: [runIn('ready')], saved: [], said: [] });
  known.write = () => Promise.resolve('Deliveries');
});
afterEach(() => vi.useRealTimers());

describe('files', () => {
  it('are made of the revision that is shown, once all changes are with the server', async () => {
    opened();
    known.sync.state = 'sending';
    const run = useRun();
    void run.make('all', () => USUAL_DELIVERY);
    await vi.advanceTimersByTimeAsync(3000);
    expect([known.asked.length, run.busy]).toEqual([0, true]);
    known.sync.state = 'kept';
    await nextTick();
    await vi.advanceTimersByTimeAsync(0);
    expect(known.asked).toEqual([
      {
        path: '/api/songs/song/runs',
        body: { revision: 7, which: 'all', delivery: USUAL_DELIVERY },
        method: undefined,
      },
    ]);
  });

  it('are not made of what has not arrived, and that is said', async () => {
    opened();
    known.sync.state = 'sending';
    const run = useRun();
    void run.make('all', () => USUAL_DELIVERY);
    await vi.advanceTimersByTimeAsync(16_000);
    expect([known.asked.length, run.busy]).toEqual([0, false]);
    expect(run.trouble).toContain('has not reached the server yet');
  });

  it('are asked after while they are made, also when the server was away for a moment', async () => {
    known.answers = [runIn('making'), runIn('making', { done: 0.8 }), away(), runIn('ready')];
    const run = await made();
    expect([run.run?.state, run.busy, run.trouble]).toEqual(['ready', false, '']);
    expect(paths().slice(1)).toEqual(['/api/runs/run', '/api/runs/run', '/api/runs/run']);
  });

  it('that failed, or that the server has lost, leave their reason and nothing to hand over', async () => {
    known.answers = [runIn('making'), runIn('failed', { trouble: 'The disk is full.' })];
    const failed = await made();
    expect([failed.run, failed.trouble]).toEqual([null, 'The disk is full.']);
    known.answers = [runIn('making'), new ServerSaid('Those files are gone.', 404)];
    const lost = await made();
    expect([lost.run, lost.trouble]).toEqual([null, 'Those files are gone.']);
  });

  it('of a song that is left are thrown away', async () => {
    const run = await made();
    opened('other');
    await nextTick();
    expect(run.run).toBeNull();
    expect(paths().at(-1)).toBe('DELETE /api/runs/run');
  });
});

describe('handing over', () => {
  const remembered = { run: runIn('ready', { handed: true }), at: '2026-01-01T00:00:00.000Z' };

  it('remembers the version in the song once, however often its zip is saved', async () => {
    const run = await made();
    known.answers = [remembered];
    expect([await run.saveZip(), await run.saveZip()]).toEqual([true, true]);
    expect(paths().filter((path) => path.endsWith('/handed'))).toHaveLength(1);
    expect([known.saved.length, handed()]).toEqual([2, 3]);
  });

  it('saves nothing where the server does not remember the version', async () => {
    const run = await made();
    known.answers = [away()];
    expect(await run.saveZip()).toBe(false);
    expect([known.saved, handed(), run.trouble]).toEqual([[], undefined, 'The server is away.']);
  });

  it('says where the files are, or that the version is remembered although they are not', async () => {
    const run = await made();
    known.answers = [remembered];
    expect(await run.saveFolder({} as FileSystemDirectoryHandle)).toBe(true);
    expect(known.said).toEqual(['1 file now in Deliveries.']);
    known.write = () => Promise.reject(new Error('The folder is full.'));
    expect(await run.saveFolder({} as FileSystemDirectoryHandle)).toBe(false);
    expect(run.trouble).toBe('The folder is full. Version 3 is remembered: write it again from the list.');
    expect(run.busy).toBe(false);
  });
});
