import { defineEventHandler } from 'h3';
import { recordingsOfSong } from '../../../store/recordings';
import { songExists } from '../../../store/songs';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** The recordings of outside instruments that a song's takes have, as far as they are closed. */
export default defineEventHandler(async (event) => {
  const db = await database();
  const id = paramOf(event, 'id');
  if (!(await songExists(db, id))) refuse(404, 'That song is not there.');
  return recordingsOfSong(db, id);
});
