import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { copyJob } from '../../../store/copies';
import { database } from '../../../utils/data';
import { announceDesk } from '../../../utils/feed';
import { paramOf, refuse } from '../../../utils/requests';

/** Copies a job with all its songs. */
export default defineEventHandler(async (event) => {
  const copy =
    (await copyJob(await database(), paramOf(event, 'id'), randomUUID, new Date().toISOString())) ??
    refuse(404, 'That job is not there any more.');
  announceDesk();
  return copy;
});
