import { EventEmitter } from 'node:events';

/** Announced change at the server. */
export interface Announced {
  /** Song that was changed, with its revision; null for a change of the Desk alone. */
  readonly song: string | null;
  readonly revision: number;
  /** True if a recording of the song was closed, so that it can be heard. */
  readonly recording?: boolean;
}

/** True if a job or a shelf has changed. */
export const announceDesk = (): boolean => announce({ song: null, revision: 0 });

export const announceRecording = (song: string): boolean => announce({ song, revision: 0, recording: true });

const feed = new EventEmitter<{ changed: [Announced] }>().setMaxListeners(0);

/** Sends an announcement to every page that follows. */
export const announce = (what: Announced): boolean => feed.emit('changed', what);

/** @returns function that ends it */
export function follow(told: (what: Announced) => void): () => void {
  feed.on('changed', told);
  return () => feed.off('changed', told);
}
