import { stemOf } from '~~/core/handover/delivery';

declare global {
  interface Window {
    /** File system access, in browsers that let pages write into a folder of the player's. */
    showDirectoryPicker?: (options: { mode: 'readwrite' }) => Promise<FileSystemDirectoryHandle>;
  }
  interface FileSystemFileHandle {
    /** Missing in some browsers that have folders. */
    move?: (name: string) => Promise<void>;
  }
}

export const canWriteFolders = (): boolean => typeof window.showDirectoryPicker === 'function';

/** Test for a file or folder of a name. */
const isThere = (folder: FileSystemDirectoryHandle, name: string): Promise<boolean> =>
  folder.getDirectoryHandle(name).then(
    () => true,
    (error: DOMException) => {
      if (error.name === 'NotFoundError') return false;
      if (error.name === 'TypeMismatchError') return true;
      throw error;
    },
  );

/** Makes a folder inside another, under a name that is free. */
async function ownFolder(folder: FileSystemDirectoryHandle, words: string): Promise<FileSystemDirectoryHandle> {
  const name = stemOf(words);
  for (let n = 1; ; n += 1) {
    const own = n === 1 ? name : `${name} (${n})`;
    if (!(await isThere(folder, own))) return folder.getDirectoryHandle(own, { create: true });
  }
}

/** Writes a file under a temporary name, and renames it when it is complete. */
async function writeFile(
  into: FileSystemDirectoryHandle,
  name: string,
  address: string,
  signal: AbortSignal,
): Promise<void> {
  const response = await fetch(address, { signal });
  if (!response.ok || !response.body) throw new Error(`${name} could not be had from the server.`);
  const handle = await into.getFileHandle(`${name}.unfinished`, { create: true });
  // The file gets its content when the stream is closed; a stream that breaks off closes nothing.
  await response.body.pipeTo(await handle.createWritable(), { signal });
  if (handle.move) await handle.move(name);
  else {
    const last = await into.getFileHandle(name, { create: true });
    await (await handle.getFile()).stream().pipeTo(await last.createWritable(), { signal });
    await into.removeEntry(handle.name);
  }
}

/**
 * Writes files into a new folder inside the selected one. A failure leaves complete files as they are, and no
 * incomplete file under its final name.
 * @param told called with the number of files written
 * @returns name of the new folder
 * @throws Error that says what happened and which files are there
 */
export async function writeIntoFolder(
  folder: FileSystemDirectoryHandle,
  name: string,
  files: readonly { readonly name: string; readonly address: string }[],
  signal: AbortSignal,
  told: (done: number) => void,
): Promise<string> {
  const into = await ownFolder(folder, name);
  for (const [i, { name: own, address }] of files.entries()) {
    try {
      await writeFile(into, own, address, signal);
    } catch (error) {
      // The original error is reported; an incomplete file that cannot be deleted is recognized by its ending.
      for (const half of [`${own}.unfinished`, own]) await into.removeEntry(half).catch(() => {});
      const why = signal.aborted ? 'You stopped it' : reasonOf(error as Error);
      throw new Error(`${why}: ${i} of ${files.length} files lie whole in ${into.name}.`, { cause: error });
    }
    told(i + 1);
  }
  return into.name;
}

function reasonOf({ name, message }: Error): string {
  if (name === 'QuotaExceededError') return 'The disk is full';
  if (name === 'NotAllowedError') return 'The browser may not write into that folder any more';
  if (name === 'NotFoundError') return 'The folder is not there any more';
  return message.replace(/\.$/, '');
}
