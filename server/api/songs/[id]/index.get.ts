import { defineEventHandler } from 'h3';
import { readLayers } from '../../../store/layers';
import { readHistory, readSong } from '../../../store/songs';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** A song with everything that was ever played for it, and its history for undo. */
export default defineEventHandler(async (event) => {
  const db = await database();
  const id = paramOf(event, 'id');
  const song = await readSong(db, id) ?? refuse(404, 'That song is not there.');
  const job = await db<{ title: string }>('jobs').where({ id: song.jobId } as never).first('title');
  return { ...song, job: job?.title ?? '', layers: await readLayers(db, id), history: await readHistory(db, id) };
});
