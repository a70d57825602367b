import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { DiskFull } from '../../../store/audio';
import { serverTime } from '../../../store/layerFeeds';
import { closeRecording } from '../../../store/recordings';
import { database, dataFolder } from '../../../utils/data';
import { announceRecording } from '../../../utils/feed';
import { bodyOf, recordingParamOf, refuse } from '../../../utils/requests';

const schema = z.object({
  songId: z.string(),
  /** Browser that closes it. */
  by: z.string().max(80).nullable().default(null),
  /** Number of its last piece, from the browser that made it. */
  last: z.number().int().min(0).nullable().default(null),
});

/** Closes a recording. A recording that another browser makes is left open. */
export default defineEventHandler(async (event) => {
  const { songId, by, last } = await bodyOf(event, schema);
  const [db, id, now] = [await database(), recordingParamOf(event), serverTime()];
  const outcome = await closeRecording(db, dataFolder(), id, { by, last, now }).catch((error: unknown) => {
    if (error instanceof DiskFull)
      return refuse(507, 'The server’s disk is full. The sound waits until there is room.');
    throw error;
  });
  if (outcome === 'unknown') return refuse(404, 'That recording was never opened.');
  if (outcome === 'recorded') return { kept: false };
  announceRecording(songId);
  return { kept: true };
});
