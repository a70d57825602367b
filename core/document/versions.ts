/** Field of a backing that says whether it has a pitch. */
interface StoredBacking {
  readonly midi?: { readonly drums: boolean } | null;
}
/** Backings with `keepsPitch` added. Anything but a list is left to the schema's error. */
const withPitch = (backings: unknown): unknown =>
  Array.isArray(backings)
    ? backings.map((b: StoredBacking | null) => ({ ...b, keepsPitch: b?.midi?.drums ?? false }))
    : backings;

/** Parts with a function applied to their sound. Anything but a list is left as it is. */
const withTone = (parts: unknown): unknown =>
  Array.isArray(parts)
    ? parts.map((p: object | null) => ({ ...p, tone: { octave: 0, second: null, velocity: 1, release: 1 } }))
    : parts;

/** Document with a version. */
interface Versioned {
  readonly version: number;
}
/** Step to the next version. It is pure, and never changed again, as documents of all versions exist. */
export type Step = (document: Versioned & Record<string, unknown>) => Versioned & Record<string, unknown>;

/**
 * Steps from one version of the song document to the next; the first makes version 2 out of version 1. A field that is
 * added, moved or comes to mean something else makes a new version, with a step here, an example and a shape beside the
 * tests (`stored/`), and a new version of the archive.
 */
const STEPS: readonly Step[] = [
  // Notes of the client's, the written part, and the tuning of the instruments.
  (d) => ({ ...d, version: 2, clientNotes: [], written: [], tuning: 0 }),
  // Another key, and the client's sheet. Drums of a MIDI file stay as they are.
  (d) => ({
    ...{ ...d, version: 3, transposition: [], sheet: { pages: [], systems: [], ink: [] } },
    backings: withPitch(d['backings']),
  }),
  // The grand and sound banks, which older programs do not know, and what a part's sound is set to.
  (d) => ({ ...d, version: 4, parts: withTone(d['parts']) }),
];
/** The version that this program writes. */
export const DOCUMENT_VERSION = 4;

/** Error for a song written by a newer version of the program: it is not opened, and left as it is. */
export class NewerSong extends Error {
  constructor() {
    super('That song was made by a newer version of Tall Kettle. It was left as it is: open it with that version.');
  }
}

const isVersioned = (value: unknown): value is Versioned & Record<string, unknown> =>
  Number.isInteger((value as Partial<Versioned> | null)?.version);

/** Stored song migrated to the present version; anything else is returned as it came. @throws NewerSong */
export function upToDate(stored: unknown, steps: readonly Step[] = STEPS, today = DOCUMENT_VERSION): unknown {
  if (!isVersioned(stored)) return stored;
  if (stored.version > today) throw new NewerSong();
  return steps.slice(stored.version - 1).reduce((document, step) => step(document), stored);
}
