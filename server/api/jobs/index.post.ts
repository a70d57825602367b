import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { LONGEST_NAME, LONGEST_NOTES } from '../../../core/vocabulary/limits';
import { addJob } from '../../store/jobs';
import { announceDesk } from '../../utils/feed';
import { database } from '../../utils/data';
import { bodyOf } from '../../utils/requests';

const schema = z.object({
  title: z.string().trim().min(1).max(LONGEST_NAME),
  client: z.string().trim().max(LONGEST_NAME).default(''),
  due: z.iso.date().nullable().default(null),
  notes: z.string().max(LONGEST_NOTES).default(''),
});

/** Adds a job. */
export default defineEventHandler(async (event) => {
  const job = { id: randomUUID(), ...(await bodyOf(event, schema)) };
  await addJob(await database(), job, new Date().toISOString());
  announceDesk();
  return job;
});
