import { bankSoundOf, type Sound } from '../vocabulary/sounds';
import type { Part } from './part';

/** Fields of a document that name sound; a document of an older version may lack any of them. */
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

/** Sounds of the program for a part's keys: one or two. */
export const soundsOf = ({ sound, tone }: Partial<Pick<Part, 'sound' | 'tone'>>): Sound[] =>
  [sound, tone?.second?.sound].filter((s) => s !== undefined);

/** Hashes of imported sound banks that a song's parts use. */
export const banksIn = ({ parts = [] }: NamesSound): string[] =>
  parts.flatMap((p) => soundsOf(p).flatMap((s) => bankSoundOf(s)?.hash ?? []));

/** Recordings of the lines of a song's parts that were sounded again. */
export const soundedAgainIn = ({ parts = [] }: NamesSound): string[] =>
  parts.flatMap((p) => (p.soundedAgain ?? []).map((a) => a.recording));
