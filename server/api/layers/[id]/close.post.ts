import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { layerClosingSchema } from '../../../../core/takes/schema';
import { serverTime } from '../../../store/layerFeeds';
import { closeLayer } from '../../../store/layers';
import { database } from '../../../utils/data';
import { bodyOf, checked, MOST_BYTES, paramOf, refuse } from '../../../utils/requests';

const schema = z.looseObject({
  songId: z.string().nullable().default(null),
  /** Browser that closes it. */
  by: z.string().max(80).nullable().default(null),
});

/** Closes a layer for good. A layer that another browser records is left open. */
export default defineEventHandler(async (event) => {
  const { songId, by, ...rest } = await bodyOf(event, schema, MOST_BYTES.events);
  const closing = checked(layerClosingSchema, rest, 'The closing');
  const closer = { songId, by, now: serverTime() };
  const outcome = await closeLayer(await database(), paramOf(event, 'id'), closing, closer);
  switch (outcome) {
    case 'unknown':
      return refuse(404, 'That layer was never opened.');
    case 'another song':
      return refuse(409, 'That layer belongs to another song.');
    case 'recorded':
      return refuse(409, 'That layer is being recorded in another browser.');
    default:
      return { kept: true };
  }
});
