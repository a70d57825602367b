import { defineEventHandler, setResponseHeader } from 'h3';
import { layersText } from '../../../store/layers';
import { songText } from '../../../store/songs';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** A song with everything that was ever played for it, and its history for undo. */
export default defineEventHandler(async (event) => {
  const db = await database();
  const id = paramOf(event, 'id');
  const song = (await songText(db, id)) ?? refuse(404, 'That song is not there.');
  const job = await db<{ id: string; title: string }>('jobs').where({ id: song.jobId }).first('title');
  setResponseHeader(event, 'Content-Type', 'application/json');
  return `{${song.fields},"job":${JSON.stringify(job?.title ?? '')},"layers":${await layersText(db, id)}}`;
});
