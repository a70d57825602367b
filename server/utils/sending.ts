import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { H3Event } from 'h3';

export interface SentFile {
  /** Name under which it is saved. */
  readonly name: string;
  readonly type?: string;
  /** Length, where known. */
  readonly length?: number;
}

/**
 * Sends a file to be kept. It goes out by Node's own pipeline: when the browser goes away, the source is closed with
 * it, and an answer that breaks off is not taken for a whole one.
 */
export async function sendFile(
  event: H3Event,
  from: NodeJS.ReadableStream,
  { name, type = 'application/octet-stream', length }: SentFile,
): Promise<void> {
  const { res } = event.node;
  res.setHeader('Content-Type', type);
  if (length !== undefined) res.setHeader('Content-Length', length);
  res.setHeader('Content-Disposition', `attachment; filename*=UTF-8''${encodeURIComponent(name)}`);
  res.setHeader('Cache-Control', 'no-store');
  event._handled = true;
  await pipeline(from as Readable, res).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') console.error(error);
    res.destroy();
  });
}
