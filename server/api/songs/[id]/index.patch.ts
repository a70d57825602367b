import { randomUUID } from 'node:crypto';
import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { LONGEST_NAME, LONGEST_NOTES } from '../../../../core/vocabulary/limits';
import { change } from '../../../../core/song/changes';
import { shelve, SHELVES } from '../../../store/jobs';
import { changeSong, moveSong, readSong, songExists } from '../../../store/songs';
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

/** Changes of the Desk to a song, all or none: title, notes, job, shelf. */
export default defineEventHandler(async (event) => {
  const { shelf, jobId, ...to } = await bodyOf(event, schema);
  const id = paramOf(event, 'id');
  const at = new Date().toISOString();
  const db = await database();
  const revision = await db.transaction(async (tx): Promise<number | null> => {
    if (!(await songExists(tx, id))) refuse(404, 'That song is not there.');
    if (jobId && !(await moveSong(tx, id, jobId))) refuse(404, 'That job is not there any more.');
    if (shelf) await shelve(tx, 'songs', id, shelf, at);
    // An unreadable song can still be moved and put away.
    if (Object.keys(to).length === 0) return null;
    const song = (await readSong(tx, id))!;
    const { patches, inverse } = change(song.document, { type: 'set song', to });
    const outcome = await changeSong(
      tx,
      id,
      { id: randomUUID(), base: song.revision, after: null, kind: 'set', name: 'set song', patches, inverse },
      at,
    );
    if (outcome.type === 'changed') return outcome.revision;
    return refuse(409, 'The song was changed elsewhere at the same moment. Nothing of this was kept; try again.');
  });
  if (revision !== null) announce({ song: id, revision });
  announceDesk();
  return {};
});
