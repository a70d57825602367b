import type { Milliseconds } from '../../core/time/units';

/**
 * The time at which something came last for a layer or a recording, by a clock that only goes on: the day's can
 * be put back, and then what was cut off would look as if it were being recorded.
 */
const fed = new Map<string, Milliseconds>();

/** The time since this process began. */
export const serverTime = (): Milliseconds => performance.now();

/** Notes that something came for a layer or a recording. */
export const noteFed = (id: string, now: Milliseconds): void => void fed.set(id, now);

/**
 * The time since something came for it. Of what this server has heard nothing yet it may be on its way: it counts from
 * when the server began.
 */
export const fedAgo = (id: string, now: Milliseconds): Milliseconds => Math.max(0, now - (fed.get(id) ?? 0));
