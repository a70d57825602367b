import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { computed, reactive, ref, shallowRef } from 'vue';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { layerOf, noteAt, showSong, withTakes } from '~/testing/shownSong';
import { keyHeight, keyY, laneBand, rollX, velocityBand, type RollFrame } from './rollFrame';
import { useTidy } from './tidy';
import { useRollPointer, type LaneTool } from './useRollPointer';

const known = vi.hoisted(() => ({
  layers: {} as { closed: Map<string, unknown> },
  sought: [] as number[],
  sounded: [] as number[],
  said: [] as string[],
}));
vi.mock('~/sync/sync', () => ({ useSync: () => ({ enqueue: () => {} }) }));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('~/song/findingLines', () => ({ findLines: () => null }));
vi.mock('~/song/layers', () => ({ useLayers: () => known.layers }));
vi.mock('~/song/recordings', () => ({ useRecordings: () => ({ all: new Map() }) }));
vi.mock('~/transport/roll', () => ({ useRoll: () => ({ playhead: 0 }) }));
vi.mock('~/transport/session', () => ({ useSession: () => ({ seek: (tick: number) => known.sought.push(tick) }) }));
vi.mock('~/sound/sound', () => ({
  useSound: () => ({ soundNote: (_: string, key: number) => known.sounded.push(key) }),
}));

const BEAT = 960;
const BAR = 4 * BEAT;
const range = { from: 0, to: 4 * BAR };
/** A note on each beat of bar 1, of half a beat: 60, 62, 64, 65. */
const KEYS = [60, 62, 64, 65];
const layer = layerOf(
  'take',
  range,
  KEYS.flatMap((key, beat) => noteAt(beat * 0.5, beat * 0.5 + 0.25, key)),
);
const FRAME: RollFrame = {
  ...{ width: 858, height: 600, view: { from: 0, to: 2 * BAR }, keys: { low: 55, high: 74 } },
  lanes: ['control 64', 'control 1'],
};

type Point = readonly [number, number];
/** The middle of a key at a tick. */
const at = (tick: number, key: number): Point => [rollX(FRAME, tick), keyY(FRAME, key) + keyHeight(FRAME) / 2];
/** The middle of a note of the take, by its beat. */
const note = (beat: number): Point => at(beat * BEAT + BEAT / 4, KEYS[beat]!);

function roll() {
  const style = { cursor: '' };
  const host = {
    ...{ style, setPointerCapture: () => {} },
    getBoundingClientRect: () => ({ left: 0, top: 0 }),
  } as unknown as HTMLElement;
  const laneTool = ref<LaneTool>('free');
  const controls = computed(() => useReading().lines.get('piano')!.controls);
  const pointer = useRollPointer(
    shallowRef(host),
    computed(() => FRAME),
    laneTool,
    controls,
  );
  const event = ([clientX, clientY]: Point, over: object = {}) =>
    ({ clientX, clientY, button: 0, pointerId: 1, shiftKey: false, ...over }) as unknown as PointerEvent;
  const drag = (from: Point, to: Point, over: object = {}): void => {
    pointer.down(event(from, over));
    pointer.move(event(to, over));
    pointer.up(event(to, over));
  };
  const click = (on: Point, over: object = {}): void => {
    pointer.down(event(on, over));
    pointer.up(event(on, over));
  };
  return { pointer, laneTool, event, drag, click, style };
}
/** Notes of the line as beats and keys, with their lengths in beats. */
const line = () =>
  useTidy().notes.map((n) => [
    Math.round((100 * n.start) / BEAT) / 100,
    n.key,
    Math.round((100 * (n.end - n.start)) / BEAT) / 100,
  ]);
const selected = () => useTidy().selection.map((n) => n.key);
const steps = () => useSong().stacks.done.length;
const AS_PLAYED = KEYS.map((key, beat) => [beat, key, 0.5]);

beforeEach(() => {
  setActivePinia(createPinia());
  known.layers = reactive({ closed: new Map([[layer.header.id, layer]]), store: () => {} });
  Object.assign(known, { sought: [], sounded: [], said: [] });
  showSong(withTakes(['take'], range, 8));
});

describe('a click', () => {
  it('selects a note and sounds it; with Shift it adds, and takes away', () => {
    const { click } = roll();
    click(note(0));
    expect([selected(), known.sounded]).toEqual([[60], [60]]);
    click(note(2), { shiftKey: true });
    expect(selected()).toEqual([60, 64]);
    click(note(0), { shiftKey: true });
    expect(selected()).toEqual([64]);
    expect(steps()).toBe(0);
  });

  it('on nothing seeks there and lets the selection go', () => {
    const { click } = roll();
    click(note(0));
    click(at(BAR, 70));
    expect([selected(), known.sought.map(Math.round)]).toEqual([[], [BAR]]);
  });

  it('with another button, or that moves by less than a drag, changes nothing', () => {
    const { click, drag } = roll();
    click(note(0), { button: 2 });
    expect(selected()).toEqual([]);
    const [x, y] = note(1);
    drag([x, y], [x + 3, y]);
    expect([line(), steps()]).toEqual([AS_PLAYED, 0]);
  });
});

describe('a drag', () => {
  it('moves a note by the grid and by keys, as one step of undo', () => {
    const { drag } = roll();
    drag(note(1), at(1.25 * BEAT + 0.6 * BEAT, 67));
    expect(line()).toContainEqual([1.5, 67, 0.5]);
    expect(steps()).toBe(1);
    useSong().undo();
    expect(line()).toEqual(AS_PLAYED);
  });

  it('moves all selected notes as far as the one that is held', () => {
    const { drag } = roll();
    useTidy().choose(useTidy().notes.slice(0, 2));
    drag(note(0), at(0.25 * BEAT + BEAT, 60));
    expect(line()).toEqual([
      [1, 60, 0.5],
      [2, 62, 0.5],
      [2, 64, 0.5],
      [3, 65, 0.5],
    ]);
  });

  it('of an edge changes the length, or the start alone', () => {
    const { drag } = roll();
    drag(at(0.5 * BEAT - 20, 60), at(0.75 * BEAT - 20, 60));
    expect(line()[0]).toEqual([0, 60, 0.75]);
    drag(at(BEAT + 20, 62), at(1.25 * BEAT + 20, 62));
    expect(line()[1]).toEqual([1.25, 62, 0.25]);
  });

  it('over nothing selects what the frame holds, and along the ruler whole bars', () => {
    const { drag } = roll();
    drag(at(0.7 * BEAT, 63), at(2.9 * BEAT, 61));
    expect(selected()).toEqual([62]);
    drag([rollX(FRAME, BEAT), 10], [rollX(FRAME, 2 * BEAT), 10]);
    expect(selected()).toEqual(KEYS);
  });

  it('that is cancelled changes nothing, also when it is let go', () => {
    const { pointer, event } = roll();
    pointer.down(event(note(0)));
    pointer.move(event(at(3 * BEAT, 70)));
    expect(pointer.dragged.value).not.toBeNull();
    pointer.cancel();
    pointer.up(event(at(3 * BEAT, 70)));
    expect([line(), steps(), pointer.dragged.value]).toEqual([AS_PLAYED, 0, null]);
  });

  it('with the pencil adds a note of the step, or as long as it is drawn', () => {
    const { drag, click } = roll();
    useTidy().tool = 'draw';
    click(at(4.1 * BEAT, 70));
    expect(line()).toContainEqual([4, 70, 0.25]);
    drag(at(5 * BEAT, 71), at(5.9 * BEAT, 71));
    expect(line()).toContainEqual([5, 71, 1]);
    expect(steps()).toBe(2);
  });
});

describe('below the notes', () => {
  const velocityAt = (velocity: number): number => {
    const { top, height } = velocityBand(FRAME);
    return top + 6 + (1 - velocity / 127) * (height - 6);
  };

  it('a velocity is dragged for all selected notes by as much', () => {
    const { drag } = roll();
    useTidy().choose(useTidy().notes.slice(0, 2));
    const x = rollX(FRAME, 0);
    drag([x, velocityAt(80)], [x + 1, velocityAt(100)]);
    const velocities = useTidy().notes.map((n) => n.velocity);
    expect(velocities[0]).toBeGreaterThan(95);
    expect(velocities).toEqual([velocities[0], velocities[0], 80, 80]);
  });

  it('a line gives the notes beneath it their velocities', () => {
    const { drag } = roll();
    drag([rollX(FRAME, 0.5 * BEAT), velocityAt(20)], [rollX(FRAME, 3.5 * BEAT), velocityAt(120)]);
    const [first, ...rising] = useTidy().notes.map((n) => n.velocity);
    expect(first).toBe(80);
    expect(rising).toEqual([...rising].sort((a, b) => a - b));
    expect(new Set(rising).size).toBe(3);
  });

  it('a pedal is drawn, trimmed and deleted', () => {
    const { pointer, drag } = roll();
    const { top, height } = laneBand(FRAME, 'control 64');
    const y = top + height / 2;
    const pedal = () =>
      useReading()
        .lines.get('piano')!
        .controls.map(({ at: tick, message }) => [tick / BEAT, 'value' in message ? message.value : null]);
    drag([rollX(FRAME, BEAT), y], [rollX(FRAME, 3 * BEAT), y]);
    expect(pedal()).toEqual([
      [1, 127],
      [3, 0],
    ]);
    drag([rollX(FRAME, 3 * BEAT) - 2, y], [rollX(FRAME, 2 * BEAT) - 2, y]);
    expect(pedal()).toEqual([
      [1, 127],
      [2, 0],
    ]);
    expect(pointer.removeBar()).toBe(true);
    expect(pedal()).toEqual([]);
    expect(pointer.removeBar()).toBe(false);
  });

  it('a controller is drawn as a line between two points', () => {
    const { laneTool, drag } = roll();
    laneTool.value = 'line';
    const { top, height } = laneBand(FRAME, 'control 1');
    drag([rollX(FRAME, 0), top + height - 3], [rollX(FRAME, BAR), top + 3]);
    const values = useReading()
      .lines.get('piano')!
      .controls.flatMap(({ message }) => ('value' in message ? [Number(message.value)] : []));
    expect(values.length).toBeGreaterThan(8);
    expect(Math.max(...values)).toBeGreaterThan(110);
    const rises = values.slice(0, values.indexOf(Math.max(...values)) + 1);
    expect(rises).toEqual([...rises].sort((a, b) => a - b));
  });
});

it('the pointer shows what a press would do', () => {
  const { pointer, event, style } = roll();
  pointer.move(event(note(0)));
  expect(style.cursor).toBe('grab');
  pointer.move(event(at(0.5 * BEAT - 20, 60)));
  expect(style.cursor).toBe('ew-resize');
  pointer.move(event(at(BAR, 70)));
  expect(style.cursor).toBe('default');
});
