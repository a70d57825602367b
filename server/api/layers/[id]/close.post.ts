import { defineEventHandler } from 'h3';
import { layerClosingSchema } from '../../../../core/takes/schema';
import { closeLayer, layerExists } from '../../../store/layers';
import { database } from '../../../utils/data';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

/** Closes a layer for good. */
export default defineEventHandler(async (event) => {
  const closing = await bodyOf(event, layerClosingSchema);
  const db = await database();
  const id = paramOf(event, 'id');
  if (!(await layerExists(db, id))) refuse(404, 'That layer was never opened.');
  await closeLayer(db, id, closing);
  return { kept: true };
});
