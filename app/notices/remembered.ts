import { askSurely, wordsOf } from '~/api/api';
import { useNotices } from './notices';

/** The words for what the server remembers and this window has not got. */
export interface RememberedWords {
  /** Names it in the list of notices. */
  readonly about: string;
  /** @param why in the server's words */
  readonly away: (why: string) => string;
  readonly lost: (count: number) => string;
}

/**
 * Asks the server for what it remembers by name, until it answers. That it is not here yet is said, and unsaid; so is
 * what cannot be read of it.
 * @param read undefined for one that is none
 * @returns what can be read; null where the server says no
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
