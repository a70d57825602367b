import { defineEventHandler } from 'h3';
import { readJobs } from '../../store/jobs';
import { database, reading } from '../../utils/data';

/** Jobs with their songs, and the progress of each part. */
export default defineEventHandler(async () => {
  const write = await database();
  return reading((db) => readJobs(db, write));
});
