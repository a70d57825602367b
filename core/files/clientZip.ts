import { unzip, type UnzipFileInfo } from 'fflate';
import { DamagedFile } from './damaged';

/** The most that a client's zip may become: it lies in memory as a whole, in bytes. */
const MOST_UNZIPPED = 2 ** 30;
const MOST_FILES = 200;

export interface UnzippedFile {
  /** Without the folders that it lay in. */
  readonly name: string;
  readonly bytes: Uint8Array;
}

const baseOf = (path: string): string => path.split(/[/\\]/).at(-1)!;
/** Folders, and what operating systems add of their own. */
const isExtra = (path: string): boolean => /[/\\]$/.test(path) || /(^|[/\\])(\.|__MACOSX|Thumbs\.db$)/.test(path);

/**
 * Unpacks what a client sent in a zip, in the order in which it lies there. Nothing is unpacked that would be too much.
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
