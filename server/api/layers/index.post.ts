import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { MODES } from '../../../core/vocabulary/modes';
import { layerHeaderSchema } from '../../../core/takes/schema';
import { openLayer } from '../../store/layers';
import { readSong } from '../../store/songs';
import { database } from '../../utils/data';
import { bodyOf, refuse } from '../../utils/requests';

const schema = z.object({ songId: z.string(), header: layerHeaderSchema, mode: z.enum(MODES) });

/** Opens a layer. Opening it again is harmless. */
export default defineEventHandler(async (event) => {
  const { songId, header, mode } = await bodyOf(event, schema);
  const db = await database();
  if (!(await readSong(db, songId))) refuse(404, 'That song is not there.');
  await openLayer(db, songId, header, mode);
  return { kept: true };
});
