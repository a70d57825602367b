import { bankSoundOf } from '../vocabulary/sounds';
import type { SongDocument } from './document';

/** The fields of a document that name sound; one that an older version stored may have none of them. */
type NamesSound = {
  readonly backings?: readonly { readonly audio: string }[];
  readonly sheet?: { readonly pages: readonly { readonly file: string }[] };
  readonly parts?: readonly Partial<Pick<SongDocument['parts'][number], 'sound' | 'soundedAgain'>>[];
};

/** The hashes of a song's files: its backings and its sheet. */
export const filesIn = ({ backings = [], sheet }: NamesSound): string[] => [
  ...backings.map((b) => b.audio),
  ...(sheet?.pages ?? []).map((p) => p.file),
];

/** The hashes of the sound banks that a song's parts sound from, of those that were brought in. */
export const banksIn = ({ parts = [] }: NamesSound): string[] =>
  parts.flatMap((p) => (p.sound && bankSoundOf(p.sound)?.hash) ?? []);

/** The recordings that the lines of a song's parts were sounded again in. */
export const soundedAgainIn = ({ parts = [] }: NamesSound): string[] =>
  parts.flatMap((p) => (p.soundedAgain ?? []).map((a) => a.recording));
