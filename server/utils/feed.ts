import { EventEmitter } from 'node:events';

/** Something changed at the server that a page may be showing. */
export interface Announced {
  /** The song that was changed, with the revision it has now; null where it is the Desk alone. */
  readonly song: string | null;
  readonly revision: number;
  /** A recording of the song has been closed: it can be heard. */
  readonly recording?: boolean;
}

/** The Desk has changed: a job, or what lies on which shelf. */
export const announceDesk = (): boolean => announce({ song: null, revision: 0 });

export const announceRecording = (song: string): boolean => announce({ song, revision: 0, recording: true });

const feed = new EventEmitter<{ changed: [Announced] }>().setMaxListeners(0);

/** Tells every page that follows. */
export const announce = (what: Announced): boolean => feed.emit('changed', what);

/** @returns what ends it */
export function follow(told: (what: Announced) => void): () => void {
  feed.on('changed', told);
  return () => feed.off('changed', told);
}
