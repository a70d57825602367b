import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { MODES } from '../../../core/vocabulary/modes';
import { layerHeaderSchema } from '../../../core/takes/schema';
import { openLayer } from '../../store/layers';
import { songExists } from '../../store/songs';
import { database } from '../../utils/data';
import { bodyOf, MOST_BYTES, refuse } from '../../utils/requests';

const schema = z.object({
  songId: z.string(),
  header: layerHeaderSchema,
  mode: z.enum(MODES),
  /** Browser that records it. */
  by: z.string().max(80).nullable().default(null),
});

/** Opens a layer. Repeating it is harmless. */
export default defineEventHandler(async (event) => {
  const { songId, header, mode, by } = await bodyOf(event, schema, MOST_BYTES.events);
  const db = await database();
  if (!(await songExists(db, songId))) refuse(404, 'That song is not there.');
  if ((await openLayer(db, songId, header, mode, by)) === 'other')
    refuse(409, 'Another song has a layer of that name.');
  return { kept: true };
});
