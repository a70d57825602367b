import type { Draft } from 'immer';
import { z } from 'zod';
import type { Part } from '../../document/part';
import { joinSchema, lanePickSchema, pickSchema, type Join } from '../../document/take';
import { unpicked } from '../../takes/line';
import { wholeTicks } from '../../time/units';
import { id, rangeSchema } from '../../vocabulary/fields';
import { partOf, takeOf } from '../draft';
import { isJoin } from '../../reading/reading';
import { hear } from '../recorded';
import { command } from './command';

/** Stores choices for joins, and drops those for joins that are gone. */
function choose(part: Draft<Part>, chosen: readonly Join[]): void {
  const isOther = (a: Join) => !chosen.some((b) => b.at === a.at && b.before === a.before && b.after === a.after);
  const all = [...(part.joins as Join[]).filter(isOther), ...chosen];
  part.joins = all
    .filter((join) => isJoin(part.comp as Part['comp'], join))
    .sort((a, b) => a.at - b.at) as Draft<Part>['joins'];
}

/** Commands that pick takes and repair joins. */
export const compCommands = {
  'pick take': command({
    fields: z.object({ part: id, take: id, range: rangeSchema }),
    undo: 'picking a take',
    carryOut: (draft, { part: partId, take, range }) => {
      const part = partOf(draft, partId);
      hear(part, { ...wholeTicks(range), takeId: takeOf(part, take).id, by: 'hand' });
      choose(part, []);
    },
  }),

  /** Picks several ranges at once, with the choices for the joins that arise. */
  'pick takes': command({
    fields: z.object({
      part: id,
      picks: z.array(pickSchema).max(20_000).readonly(),
      joins: z.array(joinSchema).max(20_000).readonly(),
    }),
    undo: 'picking takes',
    carryOut: (draft, { part: partId, picks, joins }) => {
      const part = partOf(draft, partId);
      for (const pick of picks) hear(part, { ...wholeTicks(pick), takeId: takeOf(part, pick.takeId).id });
      choose(part, joins);
    },
  }),

  /** Removes a range from the comp. */
  unpick: command({
    fields: z.object({ part: id, range: rangeSchema }),
    undo: 'taking bars out of the line',
    carryOut: (draft, { part: partId, range }) => {
      const part = partOf(draft, partId);
      part.comp = unpicked(part.comp, wholeTicks(range));
      part.lanes = unpicked(part.lanes, wholeTicks(range));
      choose(part, []);
    },
  }),

  'pick controllers': command({
    fields: z.object({ part: id, pick: lanePickSchema }),
    undo: 'picking controllers',
    carryOut: (draft, { part: partId, pick }) => {
      const part = partOf(draft, partId);
      const own = wholeTicks(pick);
      takeOf(part, own.takeId);
      const isOther = (lane: string | null) => own.lane !== null && lane !== own.lane;
      const [others, same] = [part.lanes.filter((l) => isOther(l.lane)), part.lanes.filter((l) => !isOther(l.lane))];
      part.lanes = [...others, ...unpicked(same, own), own];
    },
  }),

  'set join': command({
    fields: z.object({ part: id, join: joinSchema }),
    undo: 'what was chosen for a join',
    carryOut: (draft, { part: partId, join }) => choose(partOf(draft, partId), [join]),
  }),
};
