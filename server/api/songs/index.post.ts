import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { songSchema } from '../../../core/document/document';
import { layerSchema } from '../../../core/takes/schema';
import { jobExists } from '../../store/jobs';
import { addSongWithLayers } from '../../store/copies';
import { announceDesk } from '../../utils/feed';
import { database } from '../../utils/data';
import { bodyOf, MOST_BYTES, refuse } from '../../utils/requests';

const schema = z.object({ jobId: z.string(), document: songSchema, layers: z.array(layerSchema).max(64).default([]) });

/** Adds a song to a job with the layers of its takes, all or nothing. */
export default defineEventHandler(async (event) => {
  const { jobId, document, layers } = await bodyOf(event, schema, MOST_BYTES.song);
  const db = await database();
  if (!(await jobExists(db, jobId))) refuse(404, 'That job is not there any more.');
  const id = randomUUID();
  await db.transaction(async (tx) => {
    await addSongWithLayers(tx, id, jobId, document, layers);
  });
  announceDesk();
  return { id };
});
