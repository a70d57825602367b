import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { Milliseconds } from '~~/core/time/units';

const LOCK = 'tall-kettle recording';
const CHANNEL = 'tall-kettle who records';
/** A window that records answers within this, also while it is busy drawing. */
const ANSWERS_WITHIN: Milliseconds = 150;
/** Message between windows: the title of what is recorded, or a question for it. */
type Word = { readonly records: string } | 'who';

/** Windows of one browser hear the same keys: one at a time records them, and the others say which. */
export const useOtherWindow = defineStore('other window', () => {
  /** Title that another window records, in words; null where none does. */
  const records = ref<string | null>(null);
  const channel = new BroadcastChannel(CHANNEL);
  let own: { readonly title: string; readonly release: () => void } | null = null;

  const say = (word: Word): void => channel.postMessage(word);
  channel.onmessage = ({ data }: MessageEvent<Word>) => {
    if (data === 'who') {
      if (own) say({ records: own.title });
    } else if (!own) waitFor(`“${data.records}”`);
  };
  /** Another records until its lock is free, also where it was closed in the middle. */
  function waitFor(what: string): void {
    const waits = records.value !== null;
    records.value = what;
    if (waits) return;
    void navigator.locks.request(LOCK, () => {
      records.value = null;
    });
  }

  /** Settles once the lock that was held last is free again. */
  let freed: Promise<unknown> = Promise.resolve();
  const tryOnce = (title: string): Promise<boolean> =>
    new Promise((done) => {
      freed = navigator.locks.request(LOCK, { ifAvailable: true }, (granted) => {
        done(granted !== null);
        if (!granted) return undefined;
        return new Promise<void>((release) => {
          own = { title, release };
          say({ records: title });
        });
      });
    });

  async function ask(title: string): Promise<boolean> {
    if (own) return true;
    await freed;
    if (await tryOnce(title)) return true;
    // Another that only heard that the lock is free has it for a moment; one that records answers.
    say('who');
    await new Promise((next) => setTimeout(next, ANSWERS_WITHIN));
    if (records.value === null && (await tryOnce(title))) return true;
    waitFor(records.value ?? 'another song');
    return false;
  }
  let asking: Promise<boolean> | null = null;
  /**
   * Makes this window the one that records. Asked twice at once, it is one asking: the second would wait for the lock
   * that the first one gets, and begin a pass when that one ends.
   * @returns false where another is
   */
  function claim(title: string): Promise<boolean> {
    asking ??= ask(title).finally(() => {
      asking = null;
    });
    return asking;
  }
  function release(): void {
    own?.release();
    own = null;
  }

  say('who');
  return { records, claim, release };
});
