import type { Draft } from 'immer';
import { z } from 'zod';
import { backingFields, backingSchema, type Backing } from '../../document/backing';
import { clickFields } from '../../document/click';
import { id, someOf } from '../../vocabulary/fields';
import { backingOf } from '../draft';
import { command } from './command';

const { name, gainDb, pan, muted, solo, keepsPitch, offset } = backingFields;

/** Commands for what plays along. */
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
    carryOut: (draft, { backing }) => {
      const gone = backingOf(draft, backing);
      draft.backings = draft.backings.filter((b) => b !== gone);
    },
  }),

  'move backing': command({
    fields: z.object({ backing: id, offset }),
    undo: 'moving the backing',
    carryOut: (draft, { backing, offset: to }) => {
      backingOf(draft, backing).offset = to;
    },
  }),

  'set backing': command({
    fields: z.object({ backing: id, to: someOf({ name, gainDb, pan, muted, solo, keepsPitch }) }),
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
