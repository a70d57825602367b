import { ask } from './api';

/** Last request for each path, whatever its outcome. */
const last = new Map<string, Promise<unknown>>();
/** Requests that wait for their turn. */
const waiting = new Set<() => void>();

// A closing page sends what waits at once, as the browser completes only requests that it has.
if ('addEventListener' in globalThis) addEventListener('pagehide', () => waiting.forEach((send) => send()));

/**
 * Sends settings to a path one after the other, so that the last value set is the last one stored. Waiting requests are
 * completed even when the page closes.
 * @throws ServerSaid
 */
export function askInTurn<T>(path: string, settings: unknown): Promise<T> {
  let answer: Promise<T> | null = null;
  const send = (): Promise<T> => (answer ??= ask<T>(path, settings, 'PUT', { keepalive: true }));
  waiting.add(send);
  const sent = (last.get(path) ?? Promise.resolve()).then(send).finally(() => waiting.delete(send));
  // An error goes to its own caller; the next request is sent whatever came before.
  last.set(
    path,
    sent.catch(() => {}),
  );
  return sent;
}
