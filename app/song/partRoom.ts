import { MOST_PARTS } from '~~/core/vocabulary/limits';
import { useNotices } from '~/notices/notices';
import { useSong } from './song';

/** Room for one more part. Where there is none, that is said. */
export function usePartRoom() {
  const song = useSong();
  const notices = useNotices();

  /** @param stays what becomes of what was to be a part, in words */
  function hasRoom(stays: string): boolean {
    if (song.document!.parts.length < MOST_PARTS) return true;
    notices.say(`A song has at most ${MOST_PARTS} parts, those that are put away among them. ${stays}`);
    return false;
  }
  return { hasRoom };
}
