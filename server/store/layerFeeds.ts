import type { Milliseconds } from '../../core/time/units';

/**
 * Time of the last data for each layer or recording, by a monotonic clock. The wall clock can be put back, and would
 * make a cut-off layer look active.
 */
const fed = new Map<string, Milliseconds>();

/** Time since this process began. */
export const serverTime = (): Milliseconds => performance.now();

/** Records that data came for a layer or recording. */
export const noteFed = (id: string, now: Milliseconds): void => void fed.set(id, now);

/**
 * Time since data came for it. Without any since the server's start, it counts from the start, as data may be under
 * way.
 */
export const fedAgo = (id: string, now: Milliseconds): Milliseconds => Math.max(0, now - (fed.get(id) ?? 0));
