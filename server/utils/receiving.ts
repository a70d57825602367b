import type { IncomingMessage } from 'node:http';
import { finished, PassThrough, type Readable } from 'node:stream';
import type { H3Event } from 'h3';

/** Discards the rest of a request's body. */
function rest(req: IncomingMessage): Promise<void> {
  if (req.complete || req.destroyed) return Promise.resolve();
  req.resume();
  return new Promise((done) => void finished(req, () => done()));
}

/**
 * Takes a request's body as it comes. Whoever takes it may break off, for a full disk or a file that is none: the
 * connection stays, the rest of the body is let go by, and the sender is there to read why.
 * @throws what `take` throws
 */
export async function received<T>({ node: { req } }: H3Event, take: (body: Readable) => Promise<T>): Promise<T> {
  const body = new PassThrough();
  req.pipe(body);
  // A disconnected sender has not sent the whole body.
  finished(req, { writable: false }, (error) => error && body.destroy(error));
  try {
    return await take(body);
  } catch (error) {
    await rest(req);
    throw error;
  }
}
