import type { ClientNote } from '../document/clientNote';
import { MOST_NOTE_STRETCHES } from '../vocabulary/limits';
import { barsMeant } from './barsMeant';
import type { Bars, Form } from './meant';
import type { NoteLine } from './noteLines';

/**
 * Notes of a client's lines, each with its bars where they are sure.
 * @param of version that they speak of; null before anything went out
 * @param heardAt fingerprint of what some bars sound like (`fingerprintOfBars`)
 */
export const newNotes = (
  lines: readonly NoteLine[],
  form: Form,
  of: number | null,
  heardAt: (bars: readonly Bars[]) => string,
  newId: () => string,
): ClientNote[] =>
  lines.map(({ text }) => {
    const { bars } = barsMeant(text, form);
    // More ranges than a note can have are as good as none: somebody says which.
    const known =
      bars.length > 0 && bars.length <= MOST_NOTE_STRETCHES
        ? { bars, heard: heardAt(bars) }
        : { bars: null, heard: '' };
    return { id: newId(), text, of, done: null, ...known };
  });
