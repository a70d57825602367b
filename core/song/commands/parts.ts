import type { Draft } from 'immer';
import { z } from 'zod';
import { MOST_SOUNDED_AGAIN, newPart, partFields, soundedAgainSchema, type Part } from '../../document/part';
import { waivedSchema } from '../../document/waived';
import { gainDb, id, name, someOf } from '../../vocabulary/fields';
import { MOST_BARS } from '../../vocabulary/limits';
import { soundSchema } from '../../vocabulary/sounds';
import { partOf } from '../draft';
import { command } from './command';

const { ink, sound, tone, muted, solo, monitor, output, input, heardAs, overLine, sheet } = partFields;

/** Commands for parts, and for handing them over. */
export const partCommands = {
  'add part': command({
    fields: z.object({
      part: z.object({
        id,
        name,
        sound: soundSchema.optional(),
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
    fields: z.object({
      part: id,
      to: someOf({ name, ink, sound, tone, gainDb, muted, solo, monitor, output, input, heardAs, overLine }),
    }),
    carryOut: (draft, { part, to }) => {
      Object.assign(partOf(draft, part), to);
    },
  }),

  /** Stores sound that came back from the outside instrument; the part may be heard as recorded at once. */
  'sound again': command({
    fields: z.object({ part: id, again: soundedAgainSchema, heard: z.boolean() }),
    undo: 'sounding it again',
    carryOut: (draft, { part: partId, again, heard }) => {
      const part = partOf(draft, partId);
      part.soundedAgain = [...part.soundedAgain, again as Draft<typeof again>].slice(-MOST_SOUNDED_AGAIN);
      if (heard) part.heardAs = 'recorded';
    },
  }),

  /** Drops sound from the outside instrument. */
  'leave sounded again': command({
    fields: z.object({ part: id, again: id }),
    undo: 'leaving out what was sounded again',
    carryOut: (draft, { part: partId, again }) => {
      const part = partOf(draft, partId);
      part.soundedAgain = part.soundedAgain.filter((s) => s.id !== again);
    },
  }),

  /** Moves a part in the list; 0 is the first. */
  'move part': command({
    fields: z.object({ part: id, to: z.number().int().min(0).max(200) }),
    undo: 'moving a part',
    carryOut: (draft, { part: partId, to }) => {
      const part = partOf(draft, partId);
      const rest = draft.parts.filter((p) => p.id !== partId);
      draft.parts = [...rest.slice(0, to), part, ...rest.slice(to)];
    },
  }),

  /** Duplicates a part: its takes are new, and share the layers. */
  'duplicate part': command({
    fields: z.object({ part: id, to: z.object({ id, name }), takes: z.array(id).max(2000).readonly() }),
    undo: 'duplicating a part',
    carryOut: (draft, { part: partId, to, takes }) => {
      const part = partOf(draft, partId);
      const ids = new Map(part.takes.map((t, i) => [t.id, takes[i] ?? `${to.id} ${i}`]));
      const own = (takeId: string): string => ids.get(takeId) ?? takeId;
      const copy = JSON.parse(JSON.stringify(part)) as Draft<Part>;
      const made: Draft<Part> = {
        ...copy,
        ...to,
        handed: null,
        takes: copy.takes.map((t) => ({ ...t, id: own(t.id) })),
        comp: copy.comp.map((p) => ({ ...p, takeId: own(p.takeId) })),
        lanes: copy.lanes.map((p) => ({ ...p, takeId: own(p.takeId) })),
        joins: copy.joins.map((j) => ({ ...j, before: own(j.before), after: own(j.after) })),
        treatments: copy.treatments.map((t) => ({ ...t, id: `${to.id} ${t.id}`.slice(0, 80) })),
      };
      draft.parts.splice(draft.parts.findIndex((p) => p.id === partId) + 1, 0, made);
    },
  }),

  /** Puts a part away with all it has, unheard and out of the list; or brings it back. */
  'put part away': command({
    fields: z.object({ part: id, away: z.boolean() }),
    undo: 'putting a part away',
    carryOut: (draft, { part: partId, away }) => {
      const part = partOf(draft, partId);
      part.away = away;
      part.solo = false;
      const { brief } = draft;
      brief.also = brief.also.filter((l) => l.part !== partId || !away);
      if (away && brief.part === partId) brief.part = draft.parts.find((p) => !p.away)?.id ?? null;
    },
  }),

  /** Stores the state of the handed-over parts, and which notes the client was told are done. */
  'hand over': command({
    fields: z.object({
      parts: z.array(z.object({ id, bars: z.array(z.string().max(40)).max(MOST_BARS).readonly() })).readonly(),
      version: z.number().int().min(1),
      at: z.string(),
    }),
    carryOut: (draft, { parts, version, at }) => {
      for (const { id: partId, bars } of parts) partOf(draft, partId).handed = { at, version, bars: [...bars] };
      for (const { done } of draft.clientNotes) if (done) done.in ??= version;
    },
  }),

  /** Accepts what a check found, with a reason; or takes that back. */
  'wave through': command({
    fields: z.object({
      check: waivedSchema.unwrap().shape.check,
      words: z.string().max(300),
      reason: z.string().max(300),
    }),
    undo: 'accepting a finding',
    carryOut: (draft, { check, words, reason }) => {
      draft.waived = draft.waived.filter((w) => w.check !== check);
      if (reason.trim()) draft.waived.push({ check, words, reason: reason.trim() });
    },
  }),
};
