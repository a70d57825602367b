import { defineEventHandler } from 'h3';
import { z } from 'zod';
import { DiskFull } from '../../../store/audio';
import { closeRecording } from '../../../store/recordings';
import { database, dataFolder } from '../../../utils/data';
import { announceRecording } from '../../../utils/feed';
import { bodyOf, recordingParamOf, refuse } from '../../../utils/requests';

const schema = z.object({
  songId: z.string(),
  /** The browser that closes it. */
  by: z.string().max(80).nullable().default(null),
});

/** Closes a recording for good. One that another browser feeds is left alone. */
export default defineEventHandler(async (event) => {
  const { songId, by } = await bodyOf(event, schema);
  const outcome = await closeRecording(
    ...([await database(), dataFolder(), recordingParamOf(event), by, Date.now()] as const),
  ).catch((error: unknown) => {
    if (error instanceof DiskFull)
      return refuse(507, 'The server’s disk is full. The sound waits until there is room.');
    throw error;
  });
  if (outcome === 'unknown') return refuse(404, 'That recording was never opened.');
  if (outcome === 'recorded') return refuse(409, 'That recording is being made in another browser.');
  announceRecording(songId);
  return { kept: true };
});
