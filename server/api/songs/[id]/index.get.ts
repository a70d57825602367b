import { defineEventHandler, getRequestHeader, setResponseHeader } from 'h3';
import { ship } from '../../../../core/takes/shipped';
import { markTaken, packedLayers } from '../../../store/layers';
import { openRecordingsOf, recordingsOf } from '../../../store/recordings';
import { readSong, readStacks } from '../../../store/songs';
import { database } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

const BYTES = 'application/octet-stream';

/**
 * A song with everything that was ever played for it, packed, and what can be undone and redone: as JSON, or shipped
 * (see `ship`) to whoever accepts bytes.
 */
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
  const layers = await packedLayers(db, id);
  const recordings = await recordingsOf(db, layers, [song.document]);
  const openRecordings = await openRecordingsOf(db, id);
  const facts = { ...song, job: job?.title ?? '', stacks, older, recordings, openRecordings };
  if (getRequestHeader(event, 'accept') !== BYTES)
    return { ...facts, layers: layers.map((layer) => ({ ...layer, packed: layer.packed.toString('base64') })) };
  setResponseHeader(event, 'content-type', BYTES);
  return Buffer.concat(ship({ ...facts, layers }));
});
