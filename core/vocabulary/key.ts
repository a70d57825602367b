import { z } from 'zod';
import { many } from './many';

/** Key by its signature: sharps (negative for flats), and whether it is minor. */
export const keySchema = z.object({ fifths: z.number().int().min(-7).max(7), minor: z.boolean() }).readonly();
export type SongKey = z.infer<typeof keySchema>;

const MAJORS = ['C♭', 'G♭', 'D♭', 'A♭', 'E♭', 'B♭', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F♯', 'C♯', 'G♯', 'D♯', 'A♯'];

/**
 * "E♭ major", "C minor".
 * @example keyWords({ fifths: 2, minor: false }) // 'D major'
 */
export const keyWords = ({ fifths, minor }: SongKey): string =>
  `${MAJORS[fifths + 7 + (minor ? 3 : 0)]} ${minor ? 'minor' : 'major'}`;

/** All keys, majors first, by number of accidentals. */
export const KEYS: readonly SongKey[] = [false, true].flatMap((minor) =>
  [0, 1, 2, 3, 4, 5, 6, 7].flatMap((n) =>
    n === 0
      ? [{ fifths: 0, minor }]
      : [
          { fifths: n, minor },
          { fifths: -n, minor },
        ],
  ),
);

/** Steps on the circle of fifths for a semitone up: seven, or five down. */
const FIFTHS_A_SEMITONE = 7;

/**
 * Steps on the circle of fifths for some semitones: the fewest, or those that keep a key within six accidentals.
 * @example fifthsBy(2, null) // 2
 */
export function fifthsBy(semitones: number, key: SongKey | null): number {
  const from = key?.fifths ?? 0;
  const to = (((from + FIFTHS_A_SEMITONE * semitones) % 12) + 12) % 12;
  const nearest = to > 6 ? to - 12 : to;
  return (nearest === 6 && from < 0 ? -6 : nearest) - from;
}

/**
 * Transposed key with the fewest accidentals.
 * @example keyWords(transposedKey({ fifths: 0, minor: false }, 1)) // 'D♭ major'
 */
export const transposedKey = (key: SongKey, semitones: number): SongKey =>
  semitones === 0 ? key : { ...key, fifths: key.fifths + fifthsBy(semitones, key) };

/** Words such as "2 semitones up". @example semitoneWords(-1) // '1 semitone down' */
export function semitoneWords(semitones: number): string {
  if (semitones === 0) return 'at its own pitch';
  return `${many(Math.abs(semitones), 'semitone')} ${semitones > 0 ? 'up' : 'down'}`;
}
