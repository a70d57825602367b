import { z } from 'zod';

/** A key as its signature has it: sharps (or, negative, flats), and whether it is minor. */
export const keySchema = z.object({ fifths: z.number().int().min(-7).max(7), minor: z.boolean() }).readonly();
export type SongKey = z.infer<typeof keySchema>;

const MAJORS = ['C♭', 'G♭', 'D♭', 'A♭', 'E♭', 'B♭', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F♯', 'C♯', 'G♯', 'D♯', 'A♯'];

/**
 * "E♭ major", "C minor".
 * @example keyWords({ fifths: 2, minor: false }) // 'D major'
 */
export const keyWords = ({ fifths, minor }: SongKey): string =>
  `${MAJORS[fifths + 7 + (minor ? 3 : 0)]} ${minor ? 'minor' : 'major'}`;

/** Every key, majors first, from the fewest accidentals to the most. */
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
