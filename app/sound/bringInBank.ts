import { checkSongFile, HEAD_BYTES, isBankKind } from '~~/core/files/sound';
import { DamagedFile } from '~~/core/files/damaged';
import { sendBytes } from '~/api/api';
import { useKept } from '~/kept/kept';
import { useNotices } from '~/notices/notices';

/**
 * Imports a sound bank for all songs: stores its file, and lists its sounds.
 * @throws with the reason for a file that is damaged or no bank; then nothing is listed
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
