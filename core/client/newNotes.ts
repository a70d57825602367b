import type { ClientNote } from '../document/clientNote';
import { MOST_NOTE_STRETCHES } from '../vocabulary/limits';
import { barsMeant } from './barsMeant';
import type { Bars, Form } from './meant';
import type { NoteLine } from './noteLines';

/**
 * Notes from a client's lines, each with its bars where they are certain.
 * @param of version that they are about; null before the first
 * @param heardAt fingerprint of bars (`fingerprintOfBars`)
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
    // A note with more ranges than it can have is left without bars, for the player to say.
    const known =
      bars.length > 0 && bars.length <= MOST_NOTE_STRETCHES
        ? { bars, heard: heardAt(bars) }
        : { bars: null, heard: '' };
    return { id: newId(), text, of, done: null, ...known };
  });
