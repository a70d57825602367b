import { setResponseHeader, setResponseStatus, send, type H3Error, type H3Event } from 'h3';
import { NewerSong } from '../core/document/versions';
import { storageFault } from './store/faults';

/**
 * The answer to a request that failed: a status that says whose fault it is, and words for the person. What storage
 * could not do is 503 with when to try again; a song of a newer version is 422; what nobody foresaw is 500, its details
 * in the server's log alone.
 */
export default function onError(error: H3Error, event: H3Event): Promise<void> {
  const newer = [error, error.cause].find((e) => e instanceof NewerSong);
  const fault = storageFault(error) ?? (newer && { status: 422, words: newer.message, retryAfter: undefined });
  const foreseen = !error.unhandled && error.statusCode < 500;
  let status = fault?.status ?? error.statusCode;
  let words = fault?.words ?? error.message;
  if (!fault && !foreseen) {
    if (error.unhandled || status === 500) words = 'The server failed at this. It was not kept there; try again.';
    status = error.unhandled ? 500 : status;
  }
  if (fault || !foreseen) console.error(error.cause ?? error);
  if (event.node.res.headersSent) {
    event.node.res.destroy();
    return Promise.resolve();
  }
  setResponseStatus(event, status, words.replaceAll(/[^\x20-\x7e]/g, '-').slice(0, 200));
  setResponseHeader(event, 'Content-Type', 'application/json');
  if (fault?.retryAfter) setResponseHeader(event, 'Retry-After', fault.retryAfter);
  return send(event, JSON.stringify({ statusCode: status, message: words, data: error.data }));
}
