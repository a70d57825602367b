import { createRequire } from 'node:module';
import type { Readable } from 'node:stream';
import { crc32 as nativeCrc32 } from 'node:zlib';
import { ZipFile } from 'yazl';

/** CRC-32 by Node, as the zip writer's own is ten times slower than the disk. */
const crc32 = createRequire(import.meta.url)('buffer-crc32') as {
  unsigned: (bytes: Buffer, before?: number) => number;
};
crc32.unsigned = (bytes, before = 0) => nativeCrc32(bytes, before);

/**
 * Zip that is written while it is sent. An error in one of its files breaks it off, so that it is not taken for
 * complete.
 */
export function outgoingZip(): { readonly zip: ZipFile; readonly out: Readable } {
  const zip = new ZipFile();
  const out = zip.outputStream as Readable;
  (zip as NodeJS.EventEmitter).on('error', (error: Error) => out.destroy(error));
  return { zip, out };
}

/** Adds a file that is opened when its turn comes. */
export function addLazily(
  zip: ZipFile,
  path: string,
  options: Parameters<ZipFile['addReadStreamLazy']>[1],
  open: () => Promise<Readable>,
): void {
  zip.addReadStreamLazy(path, options, (give) => {
    open().then(
      (stream) => {
        // The zip writer ignores errors of its sources.
        stream.on('error', (error) => (zip as NodeJS.EventEmitter).emit('error', error));
        give(null, stream);
      },
      (error: Error) => give(error, null as never),
    );
  });
}
