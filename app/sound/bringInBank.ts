import { checkSongFile, HEAD_BYTES, isBankKind } from '~~/core/files/sound';
import { DamagedFile } from '~~/core/files/damaged';
import { sendBytes } from '~/api/api';
import { useKept } from '~/kept/kept';
import { useNotices } from '~/notices/notices';

/**
 * Brings a sound bank in, for every song: its bytes go to the disk as they are read, and its sounds are listed.
 * @throws with the reason when it is none, or damaged; then nothing is listed
 */
export async function bringInBank(file: File): Promise<void> {
  const kept = useKept();
  const head = new Uint8Array(await file.slice(0, HEAD_BYTES).arrayBuffer());
  if (!isBankKind(checkSongFile(head, file.size))) throw new DamagedFile('This is not a sound bank (SF2, SF3 or DLS).');
  const { hash } = await sendBytes<{ hash: string }>('/api/audio', file);
  const name =
    file.name
      .replace(/\.[^.]+$/, '')
      .trim()
      .slice(0, 55) || 'Bank';
  await kept.keepBank(name, hash);
  useNotices().say(`${name} came in. Its sounds are listed at each part’s sound.`, 'plain');
}
