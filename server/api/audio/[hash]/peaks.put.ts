import { defineEventHandler } from 'h3';
import { unpackPeaks } from '../../../../core/backing/peaks';
import { addPeaks, audioExists } from '../../../store/audio';
import { database, dataFolder } from '../../../utils/data';
import { bytesOf, hashParamOf, MOST_BYTES, refuse } from '../../../utils/requests';

/** Stores the waveform that the browser computed. */
export default defineEventHandler(async (event) => {
  const hash = hashParamOf(event);
  const bytes = await bytesOf(event, MOST_BYTES.peaks);
  if (!(await audioExists(await database(), hash))) refuse(404, 'That audio is not in the data folder.');
  try {
    unpackPeaks(new Uint8Array(bytes));
  } catch (error) {
    return refuse(422, (error as Error).message);
  }
  await addPeaks(dataFolder(), hash, new Uint8Array(bytes));
  return {};
});
