import type { Draft } from 'immer';
import { z } from 'zod';
import { backingFields, backingSchema, type Backing } from '../../document/backing';
import { clickFields } from '../../document/click';
import type { SongDocument } from '../../document/document';
import { id, someOf } from '../../vocabulary/fields';
import { backingOf, UnknownThing } from '../draft';
import { patched, type Change, type Patch } from '../history';
import { command } from './command';

const { name, gainDb, pan, muted, solo, offset } = backingFields;

/**
 * Takes a backing out by its place alone. Said as another list, undoing it would bring back the levels that the other
 * backings had then.
 */
function withoutBacking(document: SongDocument, backingId: string): Change {
  const index = document.backings.findIndex((b) => b.id === backingId);
  if (index < 0) throw new UnknownThing('That backing is no longer in the song.');
  const path = ['backings', index];
  const patches: Patch[] = [{ op: 'remove', path }];
  const inverse: Patch[] = [{ op: 'add', path, value: document.backings[index] }];
  return { document: patched(document, patches), patches, inverse };
}

/** What plays along. */
export const backingCommands = {
  'add backing': command({
    fields: z.object({ backing: backingSchema }),
    undo: 'the new backing',
    carryOut: (draft, { backing }) => {
      draft.backings.push(backing as Draft<Backing>);
    },
  }),

  'take backing out': command({
    fields: z.object({ backing: id }),
    undo: 'taking the backing out',
    change: (document, { backing }) => withoutBacking(document, backing),
  }),

  'move backing': command({
    fields: z.object({ backing: id, offset }),
    undo: 'moving the backing',
    carryOut: (draft, { backing, offset: to }) => {
      backingOf(draft, backing).offset = to;
    },
  }),

  'set backing': command({
    fields: z.object({ backing: id, to: someOf({ name, gainDb, pan, muted, solo }) }),
    carryOut: (draft, { backing, to }) => {
      Object.assign(backingOf(draft, backing), to);
    },
  }),

  'set click': command({
    fields: z.object({ click: someOf(clickFields) }),
    carryOut: (draft, { click }) => {
      Object.assign(draft.click, click);
    },
  }),
};
