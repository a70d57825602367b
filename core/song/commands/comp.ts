import { z } from 'zod';
import { wholeTicks } from '../../time/units';
import { id, rangeSchema } from '../../vocabulary/fields';
import { partOf, takeOf } from '../draft';
import { hear } from '../recorded';
import { command } from './command';

/** Which take is heard where. */
export const compCommands = {
  'pick take': command({
    fields: z.object({ part: id, take: id, range: rangeSchema }),
    undo: 'picking a take',
    carryOut: (draft, { part: partId, take, range }) => {
      const part = partOf(draft, partId);
      hear(part, { ...wholeTicks(range), takeId: takeOf(part, take).id });
    },
  }),
};
