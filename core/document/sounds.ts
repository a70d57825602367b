import type { SongDocument } from './document';

/** The fields of a document that name sound; one that an older version stored may have none of them. */
type NamesSound = {
  readonly backings?: readonly { readonly audio: string }[];
  readonly parts?: readonly { readonly soundedAgain?: SongDocument['parts'][number]['soundedAgain'] }[];
};

/** The hashes of a song's backings. */
export const backingsIn = ({ backings = [] }: NamesSound): string[] => backings.map((b) => b.audio);

/** The recordings that the lines of a song's parts were sounded again in. */
export const soundedAgainIn = ({ parts = [] }: NamesSound): string[] =>
  parts.flatMap((p) => (p.soundedAgain ?? []).map((a) => a.recording));
