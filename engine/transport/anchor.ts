import type { Seconds } from '../../core/time/units';

/** Ties the song's clock to the audio clock: at `context` the song is at `song`. */
export interface Anchor {
  readonly context: Seconds;
  readonly song: Seconds;
}

export const songTime = (anchor: Anchor, context: Seconds): Seconds => anchor.song + (context - anchor.context);
export const contextTime = (anchor: Anchor, song: Seconds): Seconds => anchor.context + (song - anchor.song);
