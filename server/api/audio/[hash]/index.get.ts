import { createReadStream } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { defineEventHandler, getRequestHeader } from 'h3';
import { audioFile, ShortFile } from '../../../store/audio';
import { dataFolder, reading } from '../../../utils/data';
import { rangeOf } from '../../../utils/ranges';
import { hashParamOf, refuse } from '../../../utils/requests';

/**
 * Bytes of a stored file, or a range of them. They never change under their hash, so browsers may cache them. Node's
 * own pipeline sends them, which closes the file when the browser disconnects.
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
    // A browser that disconnected needs no answer; after other errors the answer is broken off, as it is incomplete.
    if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') console.error(error);
    res.destroy();
  });
});
