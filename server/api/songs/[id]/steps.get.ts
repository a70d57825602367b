import { defineEventHandler, getQuery } from 'h3';
import { z } from 'zod';
import { songExists, stepsBefore } from '../../../store/songs';
import { reading } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

const before = z.coerce.number().int().min(0);

/** Undo steps before one that the page has. */
export default defineEventHandler(async (event) => {
  const id = paramOf(event, 'id');
  return reading(async (db) => {
    if (!(await songExists(db, id))) refuse(404, 'That song is not there.');
    const { success, data } = before.safeParse(getQuery(event).before);
    return success ? stepsBefore(db, id, data) : refuse(422, 'Which step? "before" is the number of a change.');
  });
});
