import { MANIFEST } from '~~/core/archive/archive';
import { unzipFiles } from '~~/core/files/clientZip';
import { DamagedFile } from '~~/core/files/damaged';
import { checkSound, HEAD_BYTES, isBankKind, isPageKind, kindOfFile } from '~~/core/files/sound';
import { LONGEST_NOTES } from '~~/core/vocabulary/limits';
import { readPages } from './pages';
import { wordsOf } from '~/api/api';

const isZip = (file: File): boolean => /\.zip$/i.test(file.name);
/** Number of bytes at a zip's end that are searched for its directory. */
const LIST_BYTES = 2 ** 22;

/** Test for an archive of a job, by the name of its list in the zip's directory. */
export async function isJobArchive(file: File | undefined): Promise<boolean> {
  if (!file || !isZip(file)) return false;
  const list = new Uint8Array(await file.slice(-LIST_BYTES).arrayBuffer());
  return new TextDecoder('latin1').decode(list).includes(MANIFEST);
}

/** Unpacks zips among a client's files; other files stay. @throws with the zip's name and the reason */
export async function unpacked(files: readonly File[]): Promise<File[]> {
  const all: File[] = [];
  for (const file of files) {
    if (!isZip(file)) {
      all.push(file);
      continue;
    }
    const found = await unzipFiles(new Uint8Array(await file.arrayBuffer())).catch((error: unknown) => {
      throw new Error(`${file.name}: ${wordsOf(error)} No song was made of it, and nothing else was changed.`);
    });
    all.push(...found.map(({ name, bytes }) => new File([bytes as Uint8Array<ArrayBuffer>], name)));
  }
  return all;
}

/** Kind of a client's file, by its first bytes. @throws DamagedFile for a file of no use here */
export async function kindOf(file: File): Promise<'text' | 'midi' | 'sound' | 'pdf' | 'picture' | 'bank'> {
  if (/\.(txt|md|cho|chopro|chordpro)$/i.test(file.name) && file.size <= LONGEST_NOTES) return 'text';
  const head = new Uint8Array(await file.slice(0, HEAD_BYTES).arrayBuffer());
  const kind = kindOfFile(head);
  if (kind === 'midi' || kind === 'pdf') return kind;
  if (isPageKind(kind)) return 'picture';
  if (isBankKind(kind)) return 'bank';
  checkSound(head, file.size);
  return 'sound';
}

/** Reads as much of a file as is needed to know that it can be used. @throws with the reason why not */
async function readable(file: File): Promise<void> {
  const kind = await kindOf(file);
  if (kind === 'bank') throw new DamagedFile('A sound bank comes in at a part’s sound, in Play.');
  if (kind === 'pdf' || kind === 'picture') await readPages(file, kind === 'pdf', 1);
}

/** Splits files into usable ones, and reasons against the others. */
export async function sortOut(
  files: readonly File[],
): Promise<{ readonly good: readonly File[]; readonly bad: readonly string[] }> {
  const good: File[] = [];
  const bad: string[] = [];
  for (const file of files)
    await readable(file).then(
      () => good.push(file),
      (error: unknown) => bad.push(`${file.name}: ${wordsOf(error)}`),
    );
  return { good, bad };
}
