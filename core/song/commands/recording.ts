import { z } from 'zod';
import { briefFields } from '../../document/brief';
import { passResultSchema } from '../../recording/schema';
import { id, name, someOf } from '../../vocabulary/fields';
import { MOST_BARS } from '../../vocabulary/limits';
import { takeOf, partOf, UnknownThing } from '../draft';
import { moveLayerOut, record } from '../recorded';
import { retime, retimingSchema } from '../retime';
import { wholeTicks } from '../../time/units';
import { command } from './command';

/** Prefix that the laps of one pass share in the history, as they are undone together. */
export const LAP = 'lap of ';
const LONGEST_ROW_NAME = 60;

/** Commands for the brief, and for results of passes. */
export const recordingCommands = {
  'set brief': command({
    fields: z.object({ brief: someOf(briefFields) }),
    carryOut: (draft, { brief }) => {
      Object.assign(draft.brief, brief, brief.range ? { range: wholeTicks(brief.range) } : {});
    },
  }),

  record: command({
    fields: z.object({ result: passResultSchema, at: z.string() }),
    undo: 'the pass',
    nameOf: ({ result }) =>
      result.layers[0]?.header.laps ? `${LAP}${result.passId}`.slice(0, LONGEST_ROW_NAME) : 'record',
    carryOut: (draft, { result, at }) => record(draft, result, at),
  }),

  /** Keeps buffered notes as takes in one change; the song may grow for it, or take its tempo. */
  keep: command({
    fields: z.object({
      results: z.array(passResultSchema).readonly(),
      at: z.string(),
      bars: z.number().int().min(1).max(MOST_BARS).optional(),
      retiming: retimingSchema.optional(),
      /** Layers that had taken the same notes, and were in no take by then. */
      gaveBack: z.array(id).readonly().optional(),
    }),
    undo: 'what was kept',
    carryOut: (draft, { results, at, bars = 1, retiming, gaveBack = [] }) => {
      if (draft.parts.some((p) => p.takes.some((t) => t.layers.some((l) => gaveBack.includes(l)))))
        throw new UnknownThing(
          'The same playing is in a take again: the pass that had it was brought back in another window.',
        );
      if (retiming) retime(draft, retiming);
      draft.bars = Math.max(draft.bars, bars);
      for (const result of results) record(draft, result, at);
    },
  }),

  'mute layer': command({
    fields: z.object({ part: id, take: id, layer: id, muted: z.boolean() }),
    undo: 'muting a layer',
    carryOut: (draft, { part, take: takeId, layer, muted }) => {
      const take = takeOf(partOf(draft, part), takeId);
      take.muted = [...take.muted.filter((m) => m !== layer), ...(muted ? [layer] : [])];
    },
  }),

  'move layer out': command({
    fields: z.object({ part: id, take: id, layer: id, to: z.object({ id, name, takeId: id }) }),
    undo: 'moving a layer out',
    carryOut: moveLayerOut,
  }),
};
