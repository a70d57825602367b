import type { Ticks } from '../core/time/units';

/** Note of a written part. */
export interface WrittenNote {
  readonly start: Ticks;
  readonly length: Ticks;
  readonly key: number;
  readonly velocity: number;
}

/** Written part: notes and pedal. */
export interface WrittenPart {
  readonly notes: readonly WrittenNote[];
  readonly pedals: readonly { readonly down: Ticks; readonly up: Ticks }[];
}

const QUALITIES = {
  maj7: [0, 4, 7, 11],
  min7: [0, 3, 7, 10],
  dom7: [0, 4, 7, 10],
  sus: [0, 5, 7, 10],
  add9: [0, 4, 7, 14],
  min9: [0, 3, 10, 14],
} as const;

export type Quality = keyof typeof QUALITIES;

/** Chord: a root from 0 (C) to 11, and intervals above it. */
export interface Chord {
  readonly root: number;
  readonly quality: Quality;
}

const ROOTS: Readonly<Record<string, number>> = {
  C: 0,
  Db: 1,
  D: 2,
  Eb: 3,
  E: 4,
  F: 5,
  Gb: 6,
  G: 7,
  Ab: 8,
  A: 9,
  Bb: 10,
  B: 11,
};

/** Chords from text such as "Ab:maj7 F:min7", one a bar. */
export function chords(text: string): Chord[] {
  return text.split(' ').map((word) => {
    const [root, quality] = word.split(':');
    return { root: ROOTS[root!]!, quality: quality as Quality };
  });
}

/** Bass note of a chord, in the octave that starts at `lowest`. */
export const bassOf = (chord: Chord, lowest: number): number => lowest + ((((chord.root - lowest) % 12) + 12) % 12);

/** Notes of a chord, folded into the octave that starts at `lowest`, from low to high. */
export function voicing(chord: Chord, lowest: number): number[] {
  return QUALITIES[chord.quality]
    .map((interval) => lowest + ((((chord.root + interval - lowest) % 12) + 12) % 12))
    .sort((a, b) => a - b);
}
