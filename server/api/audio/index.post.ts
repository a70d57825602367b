import { defineEventHandler } from 'h3';
import { DamagedFile } from '../../../core/files/damaged';
import { DiskFull, storeAudio } from '../../store/audio';
import { database, dataFolder } from '../../utils/data';
import { received } from '../../utils/receiving';
import { refuse } from '../../utils/requests';

/** Error codes of Node for a sender that disconnected. */
const BROKEN_OFF = new Set(['ECONNRESET', 'ERR_STREAM_PREMATURE_CLOSE', 'ABORT_ERR']);

/** Streams a file to disk. Answers with its hash; 422 for an unusable file, 507 for a full disk. */
export default defineEventHandler(async (event) => {
  try {
    const db = await database();
    return await received(event, (body) => storeAudio(db, dataFolder(), body));
  } catch (error) {
    if (error instanceof DamagedFile) return refuse(422, error.message);
    if (error instanceof DiskFull)
      return refuse(507, 'The server’s disk is full. Nothing of the file was kept. Make room, then drop it again.');
    if (BROKEN_OFF.has((error as NodeJS.ErrnoException).code ?? ''))
      return refuse(400, 'The connection broke off. Nothing of the file was kept.');
    throw error;
  }
});
