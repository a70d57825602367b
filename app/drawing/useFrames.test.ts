import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { effectScope, nextTick, ref } from 'vue';
import { METER_TURNS, useFrames, useReadablePace } from './useFrames';

const FRAME = 16;
let frames = 0;
beforeEach(() => {
  frames = 0;
  vi.useFakeTimers();
  vi.stubGlobal('requestAnimationFrame', (call: () => void) => {
    frames += 1;
    return setTimeout(call, FRAME);
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

it('draws some thirty times a second while something moves, all in one frame, and not at all at rest', async () => {
  const moves = ref(false);
  const place = ref(0);
  const [drawn, other]: [number[], number[]] = [[], []];
  const scope = effectScope();
  scope.run(() => {
    useFrames(
      () => moves.value,
      () => drawn.push(place.value),
    );
    useFrames(
      () => moves.value,
      () => other.push(place.value),
    );
  });
  await vi.advanceTimersByTimeAsync(1000);
  expect([drawn, other, frames]).toEqual([[0], [0], 0]);

  // A change at rest is drawn once.
  place.value = 7;
  await nextTick();
  expect([drawn, frames]).toEqual([[0, 7], 0]);

  moves.value = true;
  await vi.advanceTimersByTimeAsync(1000);
  expect(frames).toBeGreaterThan(20);
  expect(frames).toBeLessThan(40);
  expect(drawn.length - 2).toBeGreaterThanOrEqual(frames - 1);
  expect(other).toHaveLength(drawn.length);

  // The place where it came to rest is drawn, and then nothing more.
  moves.value = false;
  await vi.advanceTimersByTimeAsync(100);
  const [rests, all] = [frames, drawn.length];
  await vi.advanceTimersByTimeAsync(1000);
  expect([frames, drawn.length]).toEqual([rests, all]);

  // A drawing that is gone is made no more.
  moves.value = true;
  await nextTick();
  scope.stop();
  await vi.advanceTimersByTimeAsync(1000);
  expect(drawn.length).toBeLessThanOrEqual(all + 1);
});

it('draws meters in every other frame', async () => {
  const moves = ref(true);
  const [drawn, meters]: [number[], number[]] = [[], []];
  const scope = effectScope();
  scope.run(() => {
    useFrames(
      () => moves.value,
      () => drawn.push(0),
    );
    useFrames(
      () => moves.value,
      () => meters.push(0),
      METER_TURNS,
    );
  });
  await vi.advanceTimersByTimeAsync(1000);
  scope.stop();
  expect(drawn.length).toBeGreaterThan(10);
  expect(Math.abs(drawn.length / 2 - meters.length)).toBeLessThanOrEqual(1);
});

it('writes a number that moves at a pace that can be read, and the last one in any case', async () => {
  const written: number[] = [];
  const write = useReadablePace((value) => written.push(value));
  for (let value = 0; value < 100; value += 1) {
    write(value);
    await vi.advanceTimersByTimeAsync(10);
  }
  await vi.advanceTimersByTimeAsync(1000);
  expect(written.length).toBeGreaterThan(3);
  expect(written.length).toBeLessThan(8);
  expect([written[0], written.at(-1)]).toEqual([0, 99]);
});
