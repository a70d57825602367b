import { defineEventHandler } from 'h3';
import { readJobs } from '../../store/jobs';
import { database } from '../../utils/data';

/** Every job with its songs, and how far each part has come. */
export default defineEventHandler(async () => readJobs(await database()));
