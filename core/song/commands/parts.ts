import type { Draft } from 'immer';
import { z } from 'zod';
import { newPart, partFields, type Part } from '../../document/part';
import { takeSign } from '../../document/take';
import { gainDb, id, name, someOf } from '../../vocabulary/fields';
import { SOUNDS } from '../../vocabulary/sounds';
import { partOf } from '../draft';
import { command } from './command';

const { sound, muted, solo, monitor, output, overLine, sheet } = partFields;

/** The parts themselves, and their going out of the house. */
export const partCommands = {
  'add part': command({
    fields: z.object({
      part: z.object({
        id,
        name,
        sound: z.enum(SOUNDS).optional(),
        sheet: sheet.optional(),
        gainDb: gainDb.optional(),
      }),
    }),
    undo: 'the new part',
    carryOut: (draft, { part }) => {
      draft.parts.push(newPart(part, draft.parts.length) as Draft<Part>);
      draft.brief.part ??= part.id;
    },
  }),

  'set part': command({
    fields: z.object({ part: id, to: someOf({ name, sound, gainDb, muted, solo, monitor, output, overLine }) }),
    carryOut: (draft, { part, to }) => {
      Object.assign(partOf(draft, part), to);
    },
  }),

  /** Remembers what each part was when it was handed over. */
  'hand over': command({
    fields: z.object({ parts: z.array(id).readonly(), at: z.string() }),
    carryOut: (draft, { parts, at }) => {
      for (const part of parts.map((partId) => partOf(draft, partId))) {
        part.handed = {
          at,
          comp: part.comp.map((p) => ({ ...p })),
          lanes: part.lanes.map((l) => ({ ...l })),
          joins: part.joins.map((j) => ({ ...j })),
          treatments: part.treatments.map((t) => ({ ...t })),
          takes: Object.fromEntries(part.takes.map((t) => [t.id, takeSign(t)])),
        };
      }
    },
  }),
};
