import { defineEventHandler } from 'h3';
import { readJobs } from '../../store/jobs';
import { database, reading } from '../../utils/data';

/** Every job with its songs, and how far each part has come. */
export default defineEventHandler(async () => {
  const write = await database();
  return reading((db) => readJobs(db, write));
});
