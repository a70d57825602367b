import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { reactive } from 'vue';
import { newSong } from '~~/core/document/document';
import { EMPTY_BUFFER, type BufferedEvent, type LookBackBuffer } from '~~/core/lookback/buffer';
import type { Layer } from '~~/core/takes/layer';
import { useSong } from '~/song/song';
import { showSong } from '~/testing/shownSong';
import { useLookBack } from './lookBack';

const known = vi.hoisted(() => ({
  mine: true,
  /** Delivers what another window tells. */
  fromOthers: (_: unknown): void => {},
  told: [] as unknown[],
  written: [] as (readonly [number[], boolean])[],
  stored: null as unknown,
  said: [] as string[],
  forgets: (): Promise<void> => Promise.resolve(),
  layers: {} as { closed: Map<string, unknown> },
}));
vi.mock('./holdingWindow', () => ({ useTurn: () => ({ mine: () => known.mine }) }));
vi.mock('~/sync/windows', () => ({
  toOthers: (_: string, heard: (word: unknown) => void) => {
    known.fromOthers = heard;
    return (word: unknown) => known.told.push(word);
  },
}));
vi.mock('~/sync/sync', () => ({
  useSync: () => ({
    enqueue: () => {},
    onHoldFailed: () => {},
    readBuffer: () => Promise.resolve(known.stored),
    hold: (events: readonly BufferedEvent[], facts: unknown) =>
      known.written.push([events.map((e) => ('key' in e.message ? e.message.key : -1)), facts !== null]),
    trimBuffer: () => Promise.resolve(),
    forgetBuffer: () => known.forgets(),
  }),
}));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('~/song/findingLines', () => ({ findLines: () => null }));
vi.mock('~/song/recordings', () => ({ useRecordings: () => ({ all: new Map() }) }));
vi.mock('~/song/layers', () => ({ useLayers: () => known.layers }));

const SONG = { ...newSong('Causeway', 'piano'), bars: 40, tempo: [{ tick: 0, bpm: 120 }] };
const ROLL = { tempo: SONG.tempo, loop: null, latency: { output: 0, input: 0 }, speed: 1 };

function opened(): ReturnType<typeof useLookBack> {
  showSong(SONG);
  return useLookBack();
}
/** Look-back that has read its store, with the song rolling. */
async function rolling(): Promise<ReturnType<typeof useLookBack>> {
  const lookBack = opened();
  await lookBack.load();
  lookBack.rolls(ROLL);
  return lookBack;
}
/** Plays a note of half a second at a place of the roll. */
function play(lookBack: ReturnType<typeof useLookBack>, key: number, at: number): void {
  lookBack.hold('stage', { type: 'noteOn', key, velocity: 80 }, at * 1000, at);
  lookBack.hold('stage', { type: 'noteOff', key, velocity: 64 }, (at + 0.5) * 1000, at + 0.5);
}
/** Keys of all notes that Keep would keep. */
function offeredKeys(lookBack: ReturnType<typeof useLookBack>): number[] {
  lookBack.look();
  return lookBack.now.rolled
    .flatMap((passage) => passage.events)
    .flatMap(({ message }) => (message.type === 'noteOn' ? [message.key] : []));
}
const keep = (lookBack: ReturnType<typeof useLookBack>) => lookBack.keepPassages(lookBack.now.rolled, () => 8);
const takes = () => useSong().document!.parts[0]!.takes.length;

beforeEach(() => {
  setActivePinia(createPinia());
  const layers = reactive({
    closed: new Map<string, Layer>(),
    onTheirWay: new Set<string>(),
    store(whole: readonly { readonly layer: Layer }[]) {
      layers.closed = new Map([...layers.closed, ...whole.map(({ layer }) => [layer.header.id, layer] as const)]);
    },
  });
  Object.assign(known, { layers, mine: true, told: [], written: [], stored: EMPTY_BUFFER, said: [] });
  known.forgets = () => Promise.resolve();
});

describe('what is played', () => {
  it('is held before what was stored has been read, and written then', async () => {
    const lookBack = opened();
    lookBack.rolls(ROLL);
    play(lookBack, 60, 1);
    expect(known.written).toEqual([]);
    await lookBack.load();
    play(lookBack, 62, 3);
    expect(known.written).toEqual([
      [[60, 60], true],
      [[62], false],
      [[62], false],
    ]);
    expect(offeredKeys(lookBack)).toEqual([60, 62]);
  });

  it('is there after a reload, with what comes later numbered after it', async () => {
    const first = opened();
    await first.load();
    first.rolls(ROLL);
    play(first, 60, 1);
    first.look();
    const events = first.passages.flatMap((passage) => passage.events);
    const { roll } = first.passages[0]!;
    const listenings = new Map([[events[0]!.listening, { id: events[0]!.listening, song: 'song', parts: [] }]]);
    known.stored = {
      ...EMPTY_BUFFER,
      ...{ events: [...events], rolls: new Map([[roll!.id, roll!]]), listenings },
    } satisfies LookBackBuffer;
    setActivePinia(createPinia());
    const second = opened();
    await second.load();
    second.rolls(ROLL);
    play(second, 62, 1);
    second.look();
    const all = second.passages.flatMap((passage) => passage.events).map((e) => e.seq);
    expect(all).toHaveLength(4);
    expect([...all].sort((a, b) => a - b)).toEqual([...new Set(all)]);
  });

  it('in a window that another one holds for is held there', async () => {
    known.mine = false;
    const lookBack = await rolling();
    play(lookBack, 60, 1);
    expect([offeredKeys(lookBack), known.written.flatMap(([keys]) => keys)]).toEqual([[], []]);
  });
});

describe('keeping', () => {
  it('makes a take once, tells the other windows, and an undo gives back what it took', async () => {
    const lookBack = await rolling();
    play(lookBack, 60, 1);
    lookBack.look();
    expect(keep(lookBack)).toBe(true);
    expect([takes(), offeredKeys(lookBack), known.told.length]).toEqual([1, [], 1]);
    useSong().undo();
    expect([takes(), offeredKeys(lookBack)]).toEqual([0, [60]]);
    useSong().redo();
    expect([takes(), offeredKeys(lookBack)]).toEqual([1, []]);
  });

  it('leaves what is played after it for the next', async () => {
    const lookBack = await rolling();
    play(lookBack, 60, 1);
    lookBack.look();
    keep(lookBack);
    play(lookBack, 64, 5);
    expect(offeredKeys(lookBack)).toEqual([64]);
  });

  it('in another window takes it from this one’s list at once', async () => {
    const lookBack = await rolling();
    play(lookBack, 60, 1);
    lookBack.look();
    const seqs = lookBack.now.rolled.flatMap((p) => p.events).map((e) => e.seq);
    known.fromOthers([{ by: 'elsewhere', from: seqs[0], to: seqs.at(-1) }]);
    expect(offeredKeys(lookBack)).toEqual([]);
  });

  it('of pedal alone makes no take, and says that it is still held', async () => {
    const lookBack = await rolling();
    play(lookBack, 60, 1);
    lookBack.look();
    const passages = lookBack.now.rolled.map((p) => ({ ...p, events: p.events.slice(1) }));
    expect(lookBack.keepPassages(passages, () => 8)).toBe(false);
    expect([takes(), known.said]).toEqual([0, [expect.stringContaining('still in look-back')]]);
  });
});

describe('forgetting', () => {
  it('empties the list here and in the other windows', async () => {
    const lookBack = await rolling();
    play(lookBack, 60, 1);
    await lookBack.forget();
    expect([offeredKeys(lookBack), known.told]).toEqual([[], ['forgotten']]);
    play(lookBack, 62, 2);
    expect(offeredKeys(lookBack)).toEqual([62]);
    known.fromOthers('forgotten');
    expect(offeredKeys(lookBack)).toEqual([]);
  });

  it('that the browser refuses is said', async () => {
    const lookBack = opened();
    await lookBack.load();
    known.forgets = () => Promise.reject(new Error('busy'));
    await lookBack.forget();
    expect(known.said).toEqual([expect.stringContaining('would not forget')]);
  });
});
