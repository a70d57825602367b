import type { Seconds } from '../../core/time/units';

/** Tie of the song's clock to the audio clock: at `context` the song is at `song`, running at `speed`. */
export interface Anchor {
  readonly context: Seconds;
  readonly song: Seconds;
  /** Song seconds in a second of audio time; 1 as written. */
  readonly speed: number;
}

export const songTime = (anchor: Anchor, context: Seconds): Seconds =>
  anchor.song + (context - anchor.context) * anchor.speed;
export const contextTime = (anchor: Anchor, song: Seconds): Seconds =>
  anchor.context + (song - anchor.song) / anchor.speed;
