import { askSurely, wordsOf } from '~/api/api';
import { useNotices } from './notices';

/** Words for remembered settings that could not be loaded. */
export interface RememberedWords {
  /** Subject of the notice. */
  readonly about: string;
  /** @param why in the server's words */
  readonly away: (why: string) => string;
  readonly lost: (count: number) => string;
}

/**
 * Loads remembered settings, again until the server answers; a notice says so meanwhile, and names entries that cannot
 * be read.
 * @param read undefined for an invalid entry
 * @returns entries that can be read; null where the server refuses
 */
export async function askRemembered<T>(
  path: string,
  read: (value: unknown) => T | undefined,
  { about, away, lost }: RememberedWords,
): Promise<Readonly<Record<string, T>> | null> {
  const notices = useNotices();
  const say = (words: string): void => notices.say(words, 'attention', { about });
  try {
    const stored = await askSurely<Record<string, unknown>>(path, (error) => say(away(wordsOf(error))));
    notices.unsay(about);
    const all = Object.entries(stored).map(([id, value]) => [id, read(value)] as const);
    const count = all.filter(([, value]) => value === undefined).length;
    if (count > 0) say(lost(count));
    return Object.fromEntries(all.flatMap(([id, value]) => (value === undefined ? [] : [[id, value]])));
  } catch (error) {
    say(away(wordsOf(error)));
    return null;
  }
}
