import TickerWorker from '~~/engine/clock/ticker.worker.ts?worker';
import type { Milliseconds } from '~~/core/time/units';
import type { Ticker } from '~~/engine/keyboards/benchKeyboard';
import { SureWorker } from '~/workers/sureWorker';

/**
 * Interval of calls while a function waits to be called, while the transport rolls (its sound is scheduled ahead, and
 * what is played has times of its own), and at rest, when only the audio clock is followed.
 */
const CALLED: Milliseconds = 10;
const ROLLING: Milliseconds = 20;
const AT_REST: Milliseconds = 100;

/** Timer that a hidden page does not slow down, and that costs almost nothing at rest. */
export interface Timer {
  /** Calls a function at the shortest interval until the returned function is called. */
  readonly ticker: Ticker;
  readonly setRolling: (rolling: boolean) => void;
}

/** @param tick called for as long as the page lives */
export function startTimer(tick: () => void): Timer {
  const callbacks = new Set<() => void>();
  const worker = new SureWorker(() => new TickerWorker());
  let rolling = false;
  const pace = (): void => {
    const unlessCalled = rolling ? ROLLING : AT_REST;
    worker.postMessage(callbacks.size > 0 ? CALLED : unlessCalled);
  };
  worker.addEventListener('message', () => {
    callbacks.forEach((callback) => callback());
    tick();
  });
  pace();
  return {
    ticker(callback) {
      callbacks.add(callback);
      pace();
      return () => {
        callbacks.delete(callback);
        pace();
      };
    },
    setRolling(now) {
      rolling = now;
      pace();
    },
  };
}
