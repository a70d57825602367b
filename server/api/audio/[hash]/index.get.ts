import { createReadStream } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { defineEventHandler, getRequestHeader } from 'h3';
import { audioFile, ShortFile } from '../../../store/audio';
import { dataFolder, reading } from '../../../utils/data';
import { rangeOf } from '../../../utils/ranges';
import { hashParamOf, refuse } from '../../../utils/requests';

/**
 * A backing's bytes, or a range of them. They never change under their hash, so the browser may keep them. They go out
 * by Node's own pipeline: when the browser goes away, the file is closed with it.
 */
export default defineEventHandler(async (event) => {
  const hash = hashParamOf(event);
  const found = await reading((db) => audioFile(db, dataFolder(), hash)).catch((error: unknown) => {
    if (!(error instanceof ShortFile)) throw error;
    return refuse(410, `This backing is damaged on disk: ${error.message} Bring the file in again.`);
  });
  const file = found ?? refuse(404, 'That audio is not in the data folder.');
  const { res } = event.node;
  const range = rangeOf(getRequestHeader(event, 'range'), file.length);
  if (range === 'outside') {
    res.setHeader('Content-Range', `bytes */${file.length}`);
    return refuse(416, 'The file has nothing there.');
  }
  const { start, end } = range ?? { start: 0, end: file.length - 1 };
  res.statusCode = range ? 206 : 200;
  res.setHeader('Content-Type', file.type);
  res.setHeader('Content-Length', end - start + 1);
  res.setHeader('Accept-Ranges', 'bytes');
  if (range) res.setHeader('Content-Range', `bytes ${start}-${end}/${file.length}`);
  res.setHeader('ETag', `"${hash}"`);
  res.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
  event._handled = true;
  await pipeline(createReadStream(file.path, { start, end }), res).catch((error: NodeJS.ErrnoException) => {
    // A browser that went away has what it wanted; anything else breaks the answer off, for it is not whole.
    if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') console.error(error);
    res.destroy();
  });
});
