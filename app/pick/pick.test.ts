import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { nextTick, shallowReactive, shallowRef } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import type { Mark } from '~~/core/document/take';
import type { Suggested } from '~~/core/picking/suggest';
import { useSong } from '~/song/song';
import { layerOf, noteAt, showSong, withTakes } from '~/testing/shownSong';
import { usePick } from './pick';

const BAR = 3840;
const BARS = 8;
const range = { from: 0, to: BARS * BAR };

const known = vi.hoisted(() => ({
  layers: new Map<string, unknown>(),
  comparison: null as unknown as { value: unknown },
  roll: {} as { playhead: number; preview: unknown; tickNow: () => number },
  pass: {} as { rolling: boolean },
}));
vi.mock('./useComparing', () => ({ useComparing: () => known.comparison }));
vi.mock('~/transport/roll', () => ({ useRoll: () => known.roll }));
vi.mock('~/transport/pass', () => ({ usePass: () => known.pass }));
vi.mock('~/sync/sync', () => ({ useSync: () => ({ enqueue: () => {} }) }));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: () => {} }) }));
vi.mock('~/song/findingLines', () => ({ findLines: () => null }));
vi.mock('~/song/layers', () => ({ useLayers: () => ({ closed: known.layers }) }));
vi.mock('~/song/recordings', () => ({ useRecordings: () => ({ all: new Map() }) }));

const NAMES = ['one', 'two', 'three'] as const;
/** Events of a note on every beat of every bar, of one key. */
const onEveryBeat = (key: number) =>
  Array.from({ length: BARS * 4 }, (_, beat) => noteAt(beat * 0.5 + 0.01, beat * 0.5 + 0.3, key)).flat();

/** A song with three takes, of which the third is heard. */
function threeTakes(marks: Partial<Record<string, Mark>> = {}): SongDocument {
  const song = withTakes(NAMES, range, BARS);
  const parts = song.parts.map((part) => ({
    ...part,
    takes: part.takes.map((take) => ({ ...take, mark: marks[take.id] ?? null })),
    comp: [{ ...range, takeId: 'three' }],
  }));
  return { ...song, parts };
}

function opened(document = threeTakes()): ReturnType<typeof usePick> {
  showSong(document);
  const pick = usePick();
  pick.look(range);
  pick.enter();
  return pick;
}
/** Picked ranges in bars from 1, with the take and whether the hand picked it. */
const comp = () =>
  useSong().document!.parts[0]!.comp.map(({ from, to, takeId, by }) => [
    from / BAR + 1,
    to / BAR + 1,
    takeId,
    by === 'hand',
  ]);

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  known.layers = new Map(NAMES.map((id, i) => [`layer ${id}`, layerOf(id, range, onEveryBeat(60 + i))]));
  known.comparison = shallowRef(null);
  known.roll = shallowReactive({ playhead: 0, preview: null, tickNow: () => 0 });
  known.pass = shallowReactive({ rolling: false });
});
afterEach(() => vi.useRealTimers());

describe('a run', () => {
  /** Lets the song come to a bar. */
  function comeTo(bar: number): void {
    known.roll.tickNow = () => (bar - 1) * BAR;
    vi.advanceTimersByTime(100);
  }

  it('picks the take at the cursor until the song stops, and the one it is moved to from there', async () => {
    const pick = opened();
    known.pass.rolling = true;
    await nextTick();
    comeTo(2);
    pick.beginRun();
    comeTo(4);
    pick.toLane(1);
    comeTo(6);
    expect(comp()).toEqual([[1, 9, 'three', false]]);
    known.pass.rolling = false;
    await nextTick();
    expect(comp()).toEqual([
      [1, 2, 'three', false],
      [2, 4, 'one', true],
      [4, 6, 'two', true],
      [6, 9, 'three', false],
    ]);
    expect(pick.running).toBeNull();
  });

  it('is heard while it goes on, and is one step of Undo', async () => {
    const pick = opened();
    known.pass.rolling = true;
    pick.beginRun();
    await nextTick();
    const preview = known.roll.preview as { line: { notes: { key: number }[] } };
    expect(new Set(preview.line.notes.map(({ key }) => key))).toEqual(new Set([60]));
    comeTo(3);
    pick.toLane(2);
    comeTo(5);
    pick.endRun();
    useSong().undo();
    expect(comp()).toEqual([[1, 9, 'three', false]]);
  });

  it('picks to the end of a loop where the song has gone back', () => {
    const pick = opened();
    known.pass.rolling = true;
    comeTo(3);
    pick.beginRun();
    comeTo(5);
    // Round the loop, to bar 2.
    comeTo(2);
    comeTo(2.5);
    pick.endRun();
    expect(comp()).toEqual([
      [1, 2, 'three', false],
      [2, 2.5, 'one', true],
      [2.5, 3, 'three', false],
      [3, 5, 'one', true],
      [5, 9, 'three', false],
    ]);
  });
});

describe('lanes', () => {
  const order = (pick: ReturnType<typeof usePick>) => pick.lanes.map((take) => take.id);

  it('stand by number, or by their marks with the unmarked between maybe and no', () => {
    const pick = opened(threeTakes({ one: 'no', three: 'good' }));
    expect(order(pick)).toEqual(['one', 'two', 'three']);
    pick.order = 'marks';
    expect(order(pick)).toEqual(['three', 'two', 'one']);
  });

  it('that are hidden come back, and the cursor stays on one that is there', () => {
    const pick = opened();
    pick.toLane(2);
    expect(pick.atCursor?.id).toBe('three');
    pick.hide('three');
    expect([order(pick), pick.atCursor?.id]).toEqual([['one', 'two'], 'two']);
    pick.showAll();
    expect(order(pick)).toHaveLength(3);
  });
});

describe('joins', () => {
  it('are moved either way, as far as both takes reach', () => {
    const pick = opened();
    pick.pickTake(pick.takeOf('one')!, pick.barRange(1, 4));
    const join = { at: 4 * BAR, before: 'one', after: 'three' };
    expect(pick.roomOf(join)).toEqual({ from: 0, to: 8 * BAR });
    pick.moveJoin(join, 2 * BAR);
    expect(comp()).toEqual([
      [1, 3, 'one', true],
      [3, 5, 'three', true],
      [5, 9, 'three', false],
    ]);
    pick.moveJoin({ ...join, at: 2 * BAR }, 3 * BAR);
    expect(comp().slice(0, 2)).toEqual([
      [1, 4, 'one', true],
      [4, 5, 'three', true],
    ]);
  });
});

describe('suggestions', () => {
  const why = { type: 'only' } as const;
  const suggested: Suggested[] = [
    { from: 0, to: 4 * BAR, takeId: 'one', why },
    { from: 4 * BAR, to: 8 * BAR, takeId: 'two', why },
  ];
  const inBars = (all: readonly Suggested[]) =>
    all.map(({ from, to, takeId }) => [from / BAR + 1, to / BAR + 1, takeId]);

  it('leave alone what was picked by hand, unless that is wanted', () => {
    const pick = opened();
    known.comparison.value = { suggested, comparison: { bars: new Map() } };
    pick.pickTake(pick.takeOf('two')!, pick.barRange(2, 2));
    expect(inBars(pick.suggestedIn(pick.barRange(1, 5)))).toEqual([
      [1, 2, 'one'],
      [3, 5, 'one'],
      [5, 6, 'two'],
    ]);
    pick.overHand = true;
    expect(inBars(pick.suggestedIn(pick.barRange(1, 5)))).toEqual([
      [1, 5, 'one'],
      [5, 6, 'two'],
    ]);
  });
});
