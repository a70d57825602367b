import { defineEventHandler } from 'h3';
import { DamagedFile } from '../../../core/files/damaged';
import { receive } from '../../archive/uploads';
import { database, dataFolder } from '../../utils/data';
import { received } from '../../utils/receiving';
import { refuse } from '../../utils/requests';

/** Uploads a job's archive, and reports what of it is intact. Nothing is imported yet. */
export default defineEventHandler(async (event) => {
  try {
    const db = await database();
    const sender = new AbortController();
    event.node.res.once('close', () => sender.abort(new Error('Who sent the archive is gone.')));
    return await received(event, (body) => receive(db, dataFolder(), body, sender.signal));
  } catch (error) {
    if (error instanceof DamagedFile) return refuse(422, `${error.message} Nothing was changed.`);
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
      return refuse(507, 'The server’s disk is full. Nothing of the archive was kept. Make room, then bring it again.');
    throw error;
  }
});
