import { defineEventHandler, getQuery } from 'h3';
import { z } from 'zod';
import { DiskFull } from '../../../../store/audio';
import { addPiece } from '../../../../store/recordings';
import { database, dataFolder } from '../../../../utils/data';
import { bytesOf, checked, MOST_BYTES, numberParamOf, recordingParamOf, refuse } from '../../../../utils/requests';

const schema = z.object({
  frame: z.coerce
    .number()
    .int()
    .min(0)
    .max(2 ** 40),
});

/** Stores a numbered piece of samples of an open recording. Repeating it is harmless. */
export default defineEventHandler(async (event) => {
  const { frame } = checked(schema, getQuery(event), 'The address');
  const bytes = await bytesOf(event, MOST_BYTES.sound);
  const [db, id, sequence] = [await database(), recordingParamOf(event), numberParamOf(event, 'sequence')];
  const outcome = await addPiece(db, dataFolder(), id, sequence, frame, bytes).catch((error: unknown) => {
    if (error instanceof DiskFull)
      return refuse(507, 'The server’s disk is full. The sound waits until there is room.');
    throw error;
  });
  switch (outcome) {
    case 'unknown':
      return refuse(404, 'That recording was never opened.');
    case 'closed':
      return refuse(409, 'That recording is at its end already.');
    case 'other':
      return refuse(409, 'Another piece of that recording has this number already.');
    case 'out of place':
      return refuse(422, 'That piece is not whole, or lies outside its recording.');
    default:
      return { kept: true };
  }
});
