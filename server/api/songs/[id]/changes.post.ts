import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { patchesSchema } from '../../../../core/song/history';
import { announce } from '../../../utils/feed';
import { changeSong, type NewChange } from '../../../store/songs';
import { database } from '../../../utils/data';
import { bodyOf, MOST_BYTES, paramOf, refuse } from '../../../utils/requests';

const schema: z.ZodType<NewChange> = z.object({
  id: z.string().min(1).max(80).nullable().default(null),
  base: z.number().int().min(0),
  after: z.string().min(1).max(80).nullable().default(null),
  kind: z.enum(['do', 'set', 'undo', 'redo']),
  name: z.string().min(1).max(60),
  patches: patchesSchema,
  inverse: patchesSchema,
}) as unknown as z.ZodType<NewChange>;

/** Changes a song. A change on an older revision gets 409 and the newer song; a repeated one gets its answer again. */
export default defineEventHandler(async (event) => {
  const change = await bodyOf(event, schema, MOST_BYTES.change);
  const id = paramOf(event, 'id');
  const outcome = await changeSong(await database(), id, change, new Date().toISOString());
  switch (outcome.type) {
    case 'unknown':
      return refuse(404, 'That song is not there.');
    case 'stale':
      return refuse(409, 'The song was changed elsewhere in the meantime.', outcome.song);
    case 'misfit':
      return refuse(422, `The change does not fit the song: ${outcome.why}`);
    case 'changed':
      announce({ song: id, revision: outcome.revision });
  }
  return { revision: outcome.revision };
});
