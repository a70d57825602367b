import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { LONGEST_NAME, LONGEST_NOTES } from '../../../../core/vocabulary/limits';
import { setJob, shelve, SHELVES } from '../../../store/jobs';
import { announceDesk } from '../../../utils/feed';
import { database } from '../../../utils/data';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

const schema = z
  .object({
    title: z.string().trim().min(1).max(LONGEST_NAME),
    client: z.string().trim().max(LONGEST_NAME),
    due: z.iso.date().nullable(),
    notes: z.string().max(LONGEST_NOTES),
    shelf: z.enum(SHELVES),
  })
  .partial();

/** Changes a job's facts, or moves it to another shelf, which includes deleting, so that it can be undone. */
export default defineEventHandler(async (event) => {
  const { shelf, ...facts } = await bodyOf(event, schema);
  const id = paramOf(event, 'id');
  const there = await (
    await database()
  ).transaction(
    async (tx) =>
      (await setJob(tx, id, facts)) && (!shelf || (await shelve(tx, 'jobs', id, shelf, new Date().toISOString()))),
  );
  announceDesk();
  return there ? {} : refuse(404, 'That job is not there any more.');
});
