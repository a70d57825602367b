import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { songSchema } from '../../../core/song/document';
import { layerSchema } from '../../../core/takes/schema';
import { jobExists } from '../../store/jobs';
import { addChunk, closeLayer, openLayer } from '../../store/layers';
import { addSong } from '../../store/songs';
import { database } from '../../utils/data';
import { bodyOf, refuse } from '../../utils/requests';

const schema = z.object({ jobId: z.string(), document: songSchema, layers: z.array(layerSchema).max(64).default([]) });

/** Adds a song to a job, with the layers its takes are made of: all of it or nothing. */
export default defineEventHandler(async (event) => {
  const { jobId, document, layers } = await bodyOf(event, schema);
  const db = await database();
  if (!await jobExists(db, jobId)) refuse(404, 'That job is not there any more.');
  const id = randomUUID();
  await db.transaction(async (tx) => {
    await addSong(tx, id, jobId, document);
    for (const layer of layers) {
      await openLayer(tx, id, layer.header, 'new take');
      await addChunk(tx, layer.header.id, 0, layer.events);
      await closeLayer(tx, layer.header.id, layer.closing);
    }
  });
  return { id };
});
