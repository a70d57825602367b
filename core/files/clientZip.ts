import { unzip, type UnzipFileInfo } from 'fflate';
import { DamagedFile } from './damaged';

/** Most bytes that a client's zip may unpack to, as it is unpacked in memory. */
const MOST_UNZIPPED = 2 ** 30;
const MOST_FILES = 200;

export interface UnzippedFile {
  /** Name without its folders. */
  readonly name: string;
  readonly bytes: Uint8Array;
}

const baseOf = (path: string): string => path.split(/[/\\]/).at(-1)!;
/** Test for folders, and for files that operating systems add. */
const isExtra = (path: string): boolean => /[/\\]$/.test(path) || /(^|[/\\])(\.|__MACOSX|Thumbs\.db$)/.test(path);

/**
 * Unpacks a client's zip in its order, and nothing of one that is too large.
 * @throws DamagedFile with what is wrong with it
 */
export function unzipFiles(zip: Uint8Array): Promise<UnzippedFile[]> {
  let bytes = 0;
  let count = 0;
  const names: string[] = [];
  const filter = ({ name, originalSize }: UnzipFileInfo): boolean => {
    if (isExtra(name)) return false;
    bytes += originalSize;
    count += 1;
    names.push(name);
    return bytes <= MOST_UNZIPPED && count <= MOST_FILES;
  };
  return new Promise((done, failed) => {
    unzip(zip, { filter }, (error, found) => {
      if (count > MOST_FILES) failed(new DamagedFile(`The zip holds more than ${MOST_FILES} files.`));
      else if (bytes > MOST_UNZIPPED)
        failed(new DamagedFile(`The zip would become ${(bytes / 2 ** 30).toFixed(1)} GB; at most 1 GB is unpacked.`));
      else if (error) failed(new DamagedFile('The zip is damaged or cut short, so nothing in it can be read.'));
      else done(names.map((name) => ({ name: baseOf(name), bytes: found[name]! })));
    });
  });
}
