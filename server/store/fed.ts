import type { Milliseconds } from '../../core/time/units';

/**
 * When something came last for a layer or a recording, by a clock of this server's own that only goes on: the day's can
 * be put back, and then what was cut off would look as if it were being recorded.
 */
const fed = new Map<string, Milliseconds>();

/** The time since this process began. */
export const serverTime = (): Milliseconds => performance.now();

/** Something came for it. */
export const noteFed = (id: string, now: Milliseconds): void => void fed.set(id, now);

/**
 * How long ago something came for it. Of what this server has heard nothing yet it may be on its way: that counts from
 * when the server began.
 */
export const fedAgo = (id: string, now: Milliseconds): Milliseconds => Math.max(0, now - (fed.get(id) ?? 0));
