import { defineEventHandler, getQuery } from 'h3';
import { z } from 'zod';
import { recordingId } from '../../../../core/takes/schema';
import { recordingsNamed, recordingsOfSong } from '../../../store/recordings';
import { songExists } from '../../../store/songs';
import { reading } from '../../../utils/data';
import { checked, paramOf, refuse } from '../../../utils/requests';

/** Recordings that are wanted too: a change that names them may not have come yet. */
const querySchema = z.object({
  also: z
    .string()
    .transform((text) => text.split(',').filter(Boolean))
    .pipe(z.array(recordingId).max(100))
    .default([]),
});

/** The recordings of outside instruments that a song has, as far as they are closed. */
export default defineEventHandler(async (event) => {
  const id = paramOf(event, 'id');
  const { also } = checked(querySchema, getQuery(event), 'The address');
  return reading(async (db) => {
    if (!(await songExists(db, id))) refuse(404, 'That song is not there.');
    const all = [...(await recordingsOfSong(db, id)), ...(await recordingsNamed(db, also))];
    return [...new Map(all.map((r) => [r.id, r])).values()];
  });
});
