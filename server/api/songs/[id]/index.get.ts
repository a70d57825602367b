import { defineEventHandler } from 'h3';
import { markTaken, sentLayers } from '../../../store/layers';
import { recordingsOf } from '../../../store/recordings';
import { readSong, readStacks } from '../../../store/songs';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

/** A song with everything that was ever played for it, packed, and what can be undone and redone. */
export default defineEventHandler(async (event) => {
  const db = await database();
  const id = paramOf(event, 'id');
  const song =
    (await readSong(db, id).catch(() =>
      refuse(422, 'That song cannot be read. Nothing was changed. Bring it back from a backup, on the Desk.'),
    )) ?? refuse(404, 'That song is not there.');
  const job = await db<{ id: string; title: string }>('jobs').where({ id: song.jobId }).first('title');
  await markTaken(db, id);
  const { older, ...stacks } = await readStacks(db, id);
  const layers = await sentLayers(db, id);
  return { ...song, job: job?.title ?? '', stacks, older, layers, recordings: await recordingsOf(db, layers) };
});
