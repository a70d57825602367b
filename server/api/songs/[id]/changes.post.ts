import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { patchSchema, type Patch } from '../../../../core/song/history';
import { changeSong, type NewChange } from '../../../store/songs';
import { database } from '../../../utils/data';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

const patches = z.array(patchSchema).max(100_000) as unknown as z.ZodType<Patch[]>;
const schema: z.ZodType<NewChange> = z.object({
  base: z.number().int().min(0),
  kind: z.enum(['do', 'set', 'undo', 'redo']),
  name: z.string().min(1).max(60),
  patches,
  inverse: patches,
});

/** Changes a song. One made on an older revision gets 409 and the newer song. */
export default defineEventHandler(async (event) => {
  const change = await bodyOf(event, schema);
  let outcome;
  try {
    outcome = await changeSong(await database(), paramOf(event, 'id'), change, new Date().toISOString());
  } catch (error) {
    return refuse(
      422,
      `The change does not fit the song: ${error instanceof Error ? error.message.slice(0, 200) : 'unknown reason'}`,
    );
  }
  if (outcome.type === 'unknown') return refuse(404, 'That song is not there.');
  if (outcome.type === 'stale') return refuse(409, 'The song was changed elsewhere in the meantime.', outcome.song);
  return { revision: outcome.revision };
});
