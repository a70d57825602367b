import { z } from 'zod';
import { clientNoteFields, clientNoteSchema } from '../../document/clientNote';
import { MOST_NOTES } from '../../vocabulary/limits';
import { id, someOf } from '../../vocabulary/fields';
import { UnknownThing, type SongDraft } from '../draft';
import { command } from './command';

const { text, bars, heard, done } = clientNoteFields;

/** @throws UnknownThing */
function noteOf(draft: SongDraft, note: string): SongDraft['clientNotes'][number] {
  const found = draft.clientNotes.find((n) => n.id === note);
  if (!found) throw new UnknownThing('That note is no longer in the song.');
  return found;
}

/** Commands for what the client wants changed. */
export const clientNoteCommands = {
  'add client notes': command({
    fields: z.object({ notes: z.array(clientNoteSchema).min(1).max(MOST_NOTES).readonly() }),
    undo: 'the new notes',
    carryOut: (draft, { notes }) => {
      draft.clientNotes.push(...(notes as SongDraft['clientNotes']));
    },
  }),

  'set client note': command({
    fields: z.object({ note: id, to: someOf({ text, bars, heard, done }) }),
    undo: 'the change to a note',
    carryOut: (draft, { note, to }) => {
      Object.assign(noteOf(draft, note), to);
    },
  }),

  'take client note out': command({
    fields: z.object({ note: id }),
    undo: 'taking a note out',
    carryOut: (draft, { note }) => {
      const gone = noteOf(draft, note);
      draft.clientNotes = draft.clientNotes.filter((n) => n !== gone);
    },
  }),
};
