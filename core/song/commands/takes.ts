import type { Draft } from 'immer';
import { z } from 'zod';
import { newPart, type Part } from '../../document/part';
import { newTake, takeFacts, type Take } from '../../document/take';
import { unpicked } from '../../takes/line';
import { layerHeaderSchema } from '../../takes/schema';
import { wholeTicks } from '../../time/units';
import { id, name, rangeSchema, someOf } from '../../vocabulary/fields';
import { partOf, takeOf, type SongDraft } from '../draft';
import { hear } from '../recorded';
import { moveTake } from '../retime';
import { command } from './command';

/** Farthest that a take can be moved, in seconds. */
const MOST_MOVED = 60;

const nextNumber = ({ takes }: Draft<Part>): number => Math.max(0, ...takes.map((t) => t.number)) + 1;

/** Deletes takes from the list and the comp. Their layers stay stored. */
function takeAway(part: Draft<Part>, goes: (takeId: string) => boolean): void {
  part.takes = part.takes.filter((t) => !goes(t.id));
  part.comp = part.comp.filter((p) => !goes(p.takeId));
  part.lanes = part.lanes.filter((p) => !goes(p.takeId));
  part.joins = part.joins.filter((j) => !goes(j.before) && !goes(j.after));
}

/** Destination of a take: an existing or a new part. */
const destination = z.union([z.object({ part: id }), z.object({ id, name })]);

function partFor(draft: SongDraft, from: Draft<Part>, to: z.output<typeof destination>): Draft<Part> {
  if ('part' in to) return partOf(draft, to.part);
  const made = newPart(
    { ...to, sound: from.sound, tone: from.tone, gainDb: from.gainDb },
    draft.parts.length,
  ) as Draft<Part>;
  draft.parts.push(made);
  return draft.parts.at(-1) as Draft<Part>;
}

/** Commands for takes as a whole: their names, marks and places. */
export const takeCommands = {
  'set take': command({
    fields: z.object({ part: id, take: id, to: someOf(takeFacts) }),
    undo: 'what was said of a take',
    carryOut: (draft, { part, take, to }) => {
      Object.assign(takeOf(partOf(draft, part), take), to);
    },
  }),

  /** Adds a take from a file, whose layer is stored already. The first take of a part is picked. */
  'bring in take': command({
    fields: z.object({ part: id, header: layerHeaderSchema, range: rangeSchema, at: z.string().max(40) }),
    undo: 'bringing in a take',
    carryOut: (draft, { part: partId, header, range, at }) => {
      const part = partOf(draft, partId);
      const whole = wholeTicks(range);
      const { takeId, placement } = header;
      const made = newTake({ id: takeId, number: nextNumber(part), layers: [header.id], ...whole, placement, at });
      part.takes.push({ ...made, name: header.from.replace(/\.midi?$/i, '').slice(0, 60) } as Draft<Take>);
      if (part.comp.length === 0) hear(part, { ...whole, takeId, by: 'hand' });
    },
  }),

  /** Moves a whole take by seconds; positive is later. */
  'move take': command({
    fields: z.object({ part: id, take: id, by: z.number().min(-MOST_MOVED).max(MOST_MOVED) }),
    undo: 'moving a take',
    carryOut: (draft, { part, take, by }) => {
      moveTake(draft, part, take, by);
    },
  }),

  'delete take': command({
    fields: z.object({ part: id, take: id }),
    undo: 'deleting a take',
    carryOut: (draft, { part: partId, take }) => {
      const part = partOf(draft, partId);
      const { id: gone } = takeOf(part, take);
      takeAway(part, (takeId) => takeId === gone);
    },
  }),

  'keep only take': command({
    fields: z.object({ part: id, take: id }),
    undo: 'keeping one take only',
    carryOut: (draft, { part: partId, take }) => {
      const part = partOf(draft, partId);
      const { id: kept, from, to } = takeOf(part, take);
      takeAway(part, (takeId) => takeId !== kept);
      hear(part, { from, to, takeId: kept, by: 'hand' });
    },
  }),

  /** Moves or copies a take to another part. Both share its layers, which never change. */
  'bring take': command({
    fields: z.object({ part: id, take: id, to: destination, takeId: id, copy: z.boolean() }),
    undo: 'bringing a take to another part',
    carryOut: (draft, { part: partId, take: given, to, takeId, copy }) => {
      const part = partOf(draft, partId);
      const take = takeOf(part, given);
      const other = partFor(draft, part, to);
      const brought = newTake({ ...(JSON.parse(JSON.stringify(take)) as Take), id: takeId, number: nextNumber(other) });
      other.takes.push(brought as Draft<Take>);
      // It is picked where nothing was; picks that are there stay.
      const free = other.comp.reduce((left, p) => unpicked(left, p), [{ from: take.from, to: take.to }]);
      for (const range of free) hear(other, { ...range, takeId });
      if (!copy) takeAway(part, (one) => one === given);
    },
  }),

  /** Adds a take of a layer that is stored already, such as one made of the comp. */
  'add take': command({
    fields: z.object({
      part: id,
      take: z.object({ id, layer: id, name: takeFacts.name, at: z.string(), range: rangeSchema }),
      heard: z.boolean(),
    }),
    undo: 'the new take',
    carryOut: (draft, { part: partId, take: { id: takeId, layer, name: title, at, range }, heard }) => {
      const part = partOf(draft, partId);
      const facts = { id: takeId, number: nextNumber(part), layers: [layer], ...wholeTicks(range), at, name: title };
      part.takes.push(newTake({ ...facts, placement: { policy: 'heard', nudge: 0 } }) as Draft<Take>);
      if (heard) hear(part, { ...wholeTicks(range), takeId, by: 'hand' });
    },
  }),
};
