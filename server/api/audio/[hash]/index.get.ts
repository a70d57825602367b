import { defineEventHandler, sendStream, setResponseHeaders } from 'h3';
import { readAudio } from '../../../store/audio';
import { database, dataFolder } from '../../../utils/data';
import { hashParamOf, refuse } from '../../../utils/requests';

/** A backing's bytes. They never change under their hash, so the browser may keep them. */
export default defineEventHandler(async (event) => {
  const audio =
    (await readAudio(await database(), dataFolder(), hashParamOf(event))) ??
    refuse(404, 'That audio is not in the data folder.');
  setResponseHeaders(event, {
    'Content-Type': audio.type,
    'Content-Length': audio.length,
    'Cache-Control': 'private, max-age=31536000, immutable',
  });
  return sendStream(event, audio.stream);
});
