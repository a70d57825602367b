import { beforeEach, expect, it, vi } from 'vitest';
import { startTimer } from './timer';

const { FakeWorker } = vi.hoisted(() => {
  class FakeWorker extends EventTarget {
    static latest: FakeWorker;
    readonly paces: unknown[] = [];
    constructor() {
      super();
      FakeWorker.latest = this;
    }
    postMessage(pace: unknown): void {
      this.paces.push(pace);
    }
    ticks(): void {
      this.dispatchEvent(new MessageEvent('message', { data: 0 }));
    }
  }
  return { FakeWorker };
});
vi.mock('~~/engine/clock/ticker.worker.ts?worker', () => ({ default: FakeWorker }));

let ticks = 0;
beforeEach(() => {
  ticks = 0;
});

it('goes fast while something rolls or waits to be called, and slowly at rest', () => {
  const timer = startTimer(() => (ticks += 1));
  const worker = FakeWorker.latest;
  worker.ticks();
  expect([worker.paces.at(-1), ticks]).toEqual([100, 1]);
  timer.setRolling(true);
  expect(worker.paces.at(-1)).toBe(10);
  let called = 0;
  const stop = timer.ticker(() => (called += 1));
  timer.setRolling(false);
  expect(worker.paces.at(-1)).toBe(10);
  worker.ticks();
  stop();
  expect(worker.paces.at(-1)).toBe(100);
  worker.ticks();
  expect([called, ticks]).toEqual([1, 3]);
});
