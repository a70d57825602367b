import { defineEventHandler, setResponseHeaders } from 'h3';
import { readPeaks } from '../../../store/audio';
import { dataFolder } from '../../../utils/data';
import { hashParamOf, refuse } from '../../../utils/requests';

/** Waveform of a stored sound, as `packPeaks` writes it. */
export default defineEventHandler(async (event) => {
  const peaks = (await readPeaks(dataFolder(), hashParamOf(event))) ?? refuse(404, 'That wave has not been drawn yet.');
  setResponseHeaders(event, {
    'Content-Type': 'application/octet-stream',
    'Cache-Control': 'private, max-age=31536000, immutable',
  });
  return peaks;
});
