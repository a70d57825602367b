import { MOST_PARTS } from '~~/core/vocabulary/limits';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from './openSong';

/** Limit of parts in a song, with the sentence for having reached it. */
export function usePartRoom() {
  const openSong = useOpenSong();
  const notices = useNotices();

  /**
   * Test for room for one more part; a notice says so where there is none.
   * @param stays words for what becomes of what was to be a part
   */
  function hasRoom(stays: string): boolean {
    if (openSong.document.parts.length < MOST_PARTS) return true;
    notices.say(`A song has at most ${MOST_PARTS} parts, those that are put away among them. ${stays}`);
    return false;
  }
  return { hasRoom };
}
