import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { STARTED } from './startedMessage';
import { SureWorker } from './sureWorker';

class FakeWorker extends EventTarget {
  readonly posted: unknown[] = [];
  readonly transferred: unknown[] = [];
  ended = false;
  postMessage(message: unknown, transfer: unknown[]): void {
    this.posted.push(message);
    this.transferred.push(...transfer);
  }
  terminate(): void {
    this.ended = true;
  }
  says(data: unknown): void {
    this.dispatchEvent(new MessageEvent('message', { data }));
  }
  fails(): void {
    this.dispatchEvent(new Event('error'));
  }
}

let made: FakeWorker[];
let told: unknown[];
let worker: SureWorker;

beforeEach(() => {
  vi.useFakeTimers();
  made = [];
  told = [];
  worker = new SureWorker(() => {
    made.push(new FakeWorker());
    return made.at(-1) as unknown as Worker;
  });
  for (const type of ['late', 'started', 'error']) worker.addEventListener(type, () => told.push(type));
  worker.addEventListener('message', (event) => told.push((event as MessageEvent<unknown>).data));
});
afterEach(() => {
  vi.useRealTimers();
});

describe('a worker that has to start', () => {
  it('gets what was sent to it before it started, in its order, and what is sent after', () => {
    const { port1 } = new MessageChannel();
    worker.postMessage('one');
    worker.postMessage('two', [port1]);
    expect(made[0]!.posted).toEqual([]);
    made[0]!.says(STARTED);
    worker.postMessage('three');
    expect(made[0]!.posted).toEqual(['one', 'two', 'three']);
    expect(made[0]!.transferred).toEqual([port1]);
    expect(told).toEqual(['started']);
    port1.close();
  });

  it('is made again until it starts, each time after longer, and nothing that was sent is lost', () => {
    worker.postMessage('one');
    for (let tries = 1; tries <= 6; tries += 1) {
      made.at(-1)!.fails();
      expect(made).toHaveLength(tries);
      vi.advanceTimersByTime(8000);
      expect(made).toHaveLength(tries + 1);
    }
    expect(made.slice(0, -1).every((w) => w.ended && w.posted.length === 0)).toBe(true);
    worker.postMessage('two');
    made.at(-1)!.says(STARTED);
    expect(made.at(-1)!.posted).toEqual(['one', 'two']);
    expect(told).toEqual(['late', 'late', 'late', 'late', 'late', 'late', 'started']);
  });

  it('is made again where nothing is heard of it, each time after twice as long', () => {
    worker.postMessage('one');
    vi.advanceTimersByTime(16_000);
    expect(made.map((w) => w.ended)).toEqual([true, false]);
    vi.advanceTimersByTime(29_000);
    expect(made).toHaveLength(2);
    vi.advanceTimersByTime(3000);
    expect(made.map((w) => w.ended)).toEqual([true, true, false]);
    made[2]!.says(STARTED);
    vi.advanceTimersByTime(600_000);
    expect(made).toHaveLength(3);
    expect(made[2]!.posted).toEqual(['one']);
  });

  it('whose first word is another has started, and passes on that too', () => {
    made[0]!.says('a tick');
    worker.postMessage('one');
    expect(made[0]!.posted).toEqual(['one']);
    expect(told).toEqual(['started', 'a tick']);
  });

  it('that runs is not made again for a fault in it', () => {
    made[0]!.says(STARTED);
    made[0]!.fails();
    vi.advanceTimersByTime(60_000);
    worker.postMessage('one');
    expect(made).toHaveLength(1);
    expect(made[0]!.posted).toEqual(['one']);
    expect(told).toEqual(['started', 'error']);
  });

  it('that is not wanted any more is not made again', () => {
    made[0]!.fails();
    worker.terminate();
    vi.advanceTimersByTime(60_000);
    expect(made).toHaveLength(1);
  });
});
