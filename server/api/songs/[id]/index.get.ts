import { defineEventHandler, getRequestHeader, setResponseHeader } from 'h3';
import { NewerSong } from '../../../../core/document/versions';
import { ship } from '../../../../core/takes/shipped';
import { markTaken, notMarked, packedLayers } from '../../../store/layers';
import { openRecordingsOf, recordingsOf } from '../../../store/recordings';
import type { Database } from '../../../store/database';
import { storageFault } from '../../../store/faults';
import { readSong, readStacks } from '../../../store/songs';
import { database, reading } from '../../../utils/data';
import { paramOf, refuse } from '../../../utils/requests';

const BYTES = 'application/octet-stream';

/** Song with its packed layers and its undo history: as JSON, or as bytes (see `ship`) to clients that accept them. */
export default defineEventHandler(async (event) => {
  const id = paramOf(event, 'id');
  const { taken, ...facts } = await reading((db) => factsOf(db, id));
  // The layers that are in takes are computed once, and stored when there is time.
  if (taken.length)
    void database()
      .then((db) => markTaken(db, id))
      .catch((error: unknown) => console.error('What is taken was not written down:', error));
  const { layers } = facts;
  if (getRequestHeader(event, 'accept') !== BYTES)
    return { ...facts, layers: layers.map((layer) => ({ ...layer, packed: layer.packed.toString('base64') })) };
  setResponseHeader(event, 'content-type', BYTES);
  return Buffer.concat(ship(facts));
});

async function factsOf(db: Database, id: string) {
  const song =
    (await readSong(db, id).catch((error: unknown) => {
      if (storageFault(error) || error instanceof NewerSong) throw error;
      console.error(`The song ${id} cannot be read:`, error);
      return refuse(422, 'That song cannot be read. Nothing was changed. Bring it back from a backup, on the Desk.');
    })) ?? refuse(404, 'That song is not there.');
  const job = await db<{ id: string; title: string }>('jobs').where({ id: song.jobId }).first('title');
  const { older, ...stacks } = await readStacks(db, id);
  const taken = await notMarked(db, id);
  const stored = await packedLayers(db, id);
  const layers = stored.map((l) => (taken.includes(l.header.id) ? { ...l, taken: true } : l));
  const recordings = await recordingsOf(db, layers, [song.document]);
  const openRecordings = await openRecordingsOf(db, id);
  return { ...song, job: job?.title ?? '', stacks, older, recordings, openRecordings, layers, taken };
}
