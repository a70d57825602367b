import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { layerEventSchema } from '../../../../../core/takes/schema';
import { addChunk } from '../../../../store/layers';
import { database } from '../../../../utils/data';
import { bodyOf, MOST_BYTES, numberParamOf, paramOf, refuse } from '../../../../utils/requests';

const schema = z.object({ events: z.array(layerEventSchema).max(50_000) });

/** Stores a numbered chunk of an open layer. Repeating it is harmless. */
export default defineEventHandler(async (event) => {
  const { events } = await bodyOf(event, schema, MOST_BYTES.events);
  const outcome = await addChunk(await database(), paramOf(event, 'id'), numberParamOf(event, 'sequence'), events);
  if (outcome === 'unknown') return refuse(404, 'That layer was never opened.');
  if (outcome === 'closed') return refuse(409, 'That layer is closed.');
  if (outcome === 'other') return refuse(409, 'Another piece of that layer has this number already.');
  return { kept: true };
});
