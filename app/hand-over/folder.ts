import { stemOf } from '~~/core/handover/delivery';

declare global {
  interface Window {
    /** File system access, in browsers that let pages write into a folder of the player's. */
    showDirectoryPicker?: (options: { mode: 'readwrite' }) => Promise<FileSystemDirectoryHandle>;
  }
  interface FileSystemFileHandle {
    /** Not in every browser that has folders. */
    move?: (name: string) => Promise<void>;
  }
}

export const canWriteFolders = (): boolean => typeof window.showDirectoryPicker === 'function';

/** Tells whether a folder has a file or folder of that name. */
const isThere = (folder: FileSystemDirectoryHandle, name: string): Promise<boolean> =>
  folder.getDirectoryHandle(name).then(
    () => true,
    (error: DOMException) => {
      if (error.name === 'NotFoundError') return false;
      if (error.name === 'TypeMismatchError') return true;
      throw error;
    },
  );

/** A folder inside another, under a name that nothing has there yet. */
async function ownFolder(folder: FileSystemDirectoryHandle, words: string): Promise<FileSystemDirectoryHandle> {
  const name = stemOf(words);
  for (let n = 1; ; n += 1) {
    const own = n === 1 ? name : `${name} (${n})`;
    if (!(await isThere(folder, own))) return folder.getDirectoryHandle(own, { create: true });
  }
}

/** Writes one file under a name of its own, and gives it its last name when it is whole. */
async function writeFile(
  into: FileSystemDirectoryHandle,
  name: string,
  address: string,
  signal: AbortSignal,
): Promise<void> {
  const response = await fetch(address, { signal });
  if (!response.ok || !response.body) throw new Error(`${name} could not be had from the server.`);
  const handle = await into.getFileHandle(`${name}.unfinished`, { create: true });
  // What is written comes to the file when it is closed; a stream that breaks off closes nothing.
  await response.body.pipeTo(await handle.createWritable(), { signal });
  if (handle.move) await handle.move(name);
  else {
    const last = await into.getFileHandle(name, { create: true });
    await (await handle.getFile()).stream().pipeTo(await last.createWritable(), { signal });
    await into.removeEntry(handle.name);
  }
}

/**
 * Writes files into a new folder inside the one that was chosen. What breaks off leaves no file under its last name
 * that is not whole, and what was written before that stays.
 * @param told how many are there
 * @returns what the new folder is called
 * @throws Error with what happened and what is there
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
      // What stopped the writing is told; a half that stays is told apart by its ending.
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
