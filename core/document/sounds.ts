import { bankSoundOf, type Sound } from '../vocabulary/sounds';
import type { Part } from './part';

/** The fields of a document that name sound; one that an older version stored may have none of them. */
type NamesSound = {
  readonly backings?: readonly { readonly audio: string }[];
  readonly sheet?: { readonly pages: readonly { readonly file: string }[] };
  readonly parts?: readonly Partial<Pick<Part, 'sound' | 'tone' | 'soundedAgain'>>[];
};

/** The hashes of a song's files: its backings and its sheet. */
export const filesIn = ({ backings = [], sheet }: NamesSound): string[] => [
  ...backings.map((b) => b.audio),
  ...(sheet?.pages ?? []).map((p) => p.file),
];

/** The sounds that the program has for a part's keys: one, or two. */
export const soundsOf = ({ sound, tone }: Partial<Pick<Part, 'sound' | 'tone'>>): Sound[] =>
  [sound, tone?.second?.sound].filter((s) => s !== undefined);

/** The hashes of the sound banks that a song's parts sound from, of those that were brought in. */
export const banksIn = ({ parts = [] }: NamesSound): string[] =>
  parts.flatMap((p) => soundsOf(p).flatMap((s) => bankSoundOf(s)?.hash ?? []));

/** The recordings that the lines of a song's parts were sounded again in. */
export const soundedAgainIn = ({ parts = [] }: NamesSound): string[] =>
  parts.flatMap((p) => (p.soundedAgain ?? []).map((a) => a.recording));
