import { defineEventHandler, getQuery } from 'h3';
import { z } from 'zod';
import { recordingId } from '../../../../core/takes/schema';
import { recordingsNamed, recordingsOfSong } from '../../../store/recordings';
import { songExists } from '../../../store/songs';
import { reading } from '../../../utils/data';
import { checked, paramOf, refuse } from '../../../utils/requests';

/** Further recordings that are needed, whose change may not have arrived. */
const querySchema = z.object({
  also: z
    .string()
    .transform((text) => text.split(',').filter(Boolean))
    .pipe(z.array(recordingId).max(100))
    .default([]),
});

/** Closed recordings of a song. */
export default defineEventHandler(async (event) => {
  const id = paramOf(event, 'id');
  const { also } = checked(querySchema, getQuery(event), 'The address');
  return reading(async (db) => {
    if (!(await songExists(db, id))) refuse(404, 'That song is not there.');
    const all = [...(await recordingsOfSong(db, id)), ...(await recordingsNamed(db, also))];
    return [...new Map(all.map((r) => [r.id, r])).values()];
  });
});
