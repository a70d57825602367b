import TickerWorker from '~~/engine/clock/ticker.worker.ts?worker';
import type { Milliseconds } from '~~/core/time/units';
import type { Ticker } from '~~/engine/keyboards/benchKeyboard';
import { SureWorker } from '~/workers/sureWorker';

/**
 * Interval of calls while the transport rolls, and at rest. Each call reads the audio clock, and two readings make a
 * new line after the device ran dry: with a longer interval more notes behind a dropout go by the old line.
 */
const ROLLING: Milliseconds = 10;
const AT_REST: Milliseconds = 100;

/** Timer that a hidden page does not slow down, and that costs almost nothing at rest. */
export interface Timer {
  /** Calls a function at the fast interval until the returned function is called. */
  readonly ticker: Ticker;
  readonly setRolling: (rolling: boolean) => void;
}

/** @param tick called for as long as the page lives */
export function startTimer(tick: () => void): Timer {
  const callbacks = new Set<() => void>();
  const worker = new SureWorker(() => new TickerWorker());
  let rolling = false;
  const pace = (): void => worker.postMessage(rolling || callbacks.size > 0 ? ROLLING : AT_REST);
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
