import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { recordingFactsSchema, recordingId } from '../../../core/takes/schema';
import { openRecording } from '../../store/recordings';
import { songExists } from '../../store/songs';
import { database } from '../../utils/data';
import { bodyOf, refuse } from '../../utils/requests';

const schema = z.object({
  songId: z.string(),
  id: recordingId,
  facts: recordingFactsSchema,
  /** Browser that makes it. */
  by: z.string().max(80).nullable().default(null),
});

/** Opens a recording of an outside instrument. Repeating it is harmless. */
export default defineEventHandler(async (event) => {
  const { songId, id, facts, by } = await bodyOf(event, schema);
  const db = await database();
  if (!(await songExists(db, songId))) refuse(404, 'That song is not there.');
  if ((await openRecording(db, songId, id, facts, by, new Date().toISOString())) === 'other')
    refuse(409, 'There is another recording of that name.');
  return { kept: true };
});
