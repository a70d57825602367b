import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { LONGEST_NAME, LONGEST_NOTES } from '../../../../core/vocabulary/limits';
import { change } from '../../../../core/song/changes';
import { shelve, SHELVES } from '../../../store/jobs';
import { changeSong, moveSong, readSong } from '../../../store/songs';
import { announce, announceDesk } from '../../../utils/feed';
import { database } from '../../../utils/data';
import { bodyOf, paramOf, refuse } from '../../../utils/requests';

const schema = z
  .object({
    title: z.string().trim().min(1).max(LONGEST_NAME),
    notes: z.string().max(LONGEST_NOTES),
    shelf: z.enum(SHELVES),
    jobId: z.string(),
  })
  .partial();

/** What the Desk changes of a song without opening it: its title, its notes, its job, and the shelf it lies on. */
export default defineEventHandler(async (event) => {
  const { shelf, jobId, ...to } = await bodyOf(event, schema);
  const id = paramOf(event, 'id');
  const at = new Date().toISOString();
  const db = await database();
  const song = (await readSong(db, id)) ?? refuse(404, 'That song is not there.');
  if (Object.keys(to).length) {
    const { patches, inverse } = change(song.document, { type: 'set song', to });
    const outcome = await changeSong(
      db,
      id,
      { id: randomUUID(), base: song.revision, after: null, kind: 'set', name: 'set song', patches, inverse },
      at,
    );
    if (outcome.type === 'changed') announce({ song: id, revision: outcome.revision });
    else return refuse(409, 'The song was changed elsewhere at the same moment. Nothing of this was kept; try again.');
  }
  if (jobId && !(await moveSong(db, id, jobId))) refuse(404, 'That job is not there any more.');
  if (shelf) await shelve(db, 'songs', id, shelf, at);
  announceDesk();
  return {};
});
