import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { deliverySchema } from '../../../../core/handover/delivery';
import { id } from '../../../../core/vocabulary/fields';
import { startRun } from '../../../handover/runs';
import { database, dataFolder } from '../../../utils/data';
import { bodyOf, paramOf } from '../../../utils/requests';
import { answered } from '../../../utils/runs';

const schema = z.union([
  z.strictObject({
    revision: z.number().int().min(0),
    which: z.union([z.enum(['all', 'changed']), z.array(id).min(1).max(200)]),
    delivery: deliverySchema.optional(),
  }),
  z.strictObject({ again: z.number().int().min(1) }),
]);

/** Starts making a song's files, or those of an earlier version again. */
export default defineEventHandler(async (event) => {
  const wish = await bodyOf(event, schema);
  return answered(startRun(await database(), dataFolder(), paramOf(event, 'id'), wish, new Date()));
});
