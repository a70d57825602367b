import { ask } from './api';

/** The last that was sent to each path, whatever became of it. */
const last = new Map<string, Promise<unknown>>();
/** Sendings that wait for their turn. */
const waiting = new Set<() => void>();

// A page that goes takes what waits with it, unless it is with the browser by then.
if ('addEventListener' in globalThis) addEventListener('pagehide', () => waiting.forEach((send) => send()));

/**
 * Sends settings to a path one after the other, so that the last that was set is the last that is kept. What waits or
 * is on its way when the page goes is seen through by the browser.
 * @throws ServerSaid
 */
export function askInTurn<T>(path: string, settings: unknown): Promise<T> {
  let answer: Promise<T> | null = null;
  const send = (): Promise<T> => (answer ??= ask<T>(path, settings, 'PUT', { keepalive: true }));
  waiting.add(send);
  const sent = (last.get(path) ?? Promise.resolve()).then(send).finally(() => waiting.delete(send));
  // A failure is told to its own caller; the next in turn goes on whatever came before.
  last.set(
    path,
    sent.catch(() => {}),
  );
  return sent;
}
