import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { Milliseconds } from '~~/core/time/units';

const LOCK = 'tall-kettle recording';
const CHANNEL = 'tall-kettle who records';
/** Longest time that a recording window takes to answer, also while it is busy drawing. */
const ANSWERS_WITHIN: Milliseconds = 150;
/** Message between windows: the title that is being recorded, or a request for it. */
type Word = { readonly records: string } | 'who';

/**
 * Lock by which one window of a browser records at a time: all of them get the same keys. The others show which one it
 * is.
 */
export const useOtherWindow = defineStore('other window', () => {
  /** Title that another window records; null where none does. */
  const records = ref<string | null>(null);
  const channel = new BroadcastChannel(CHANNEL);
  let own: { readonly title: string; readonly release: () => void } | null = null;

  const say = (word: Word): void => channel.postMessage(word);
  channel.onmessage = ({ data }: MessageEvent<Word>) => {
    if (data === 'who') {
      if (own) say({ records: own.title });
    } else if (!own) waitFor(`“${data.records}”`);
  };
  /** Shows another window as recording until its lock is free, also if it was closed in mid-pass. */
  function waitFor(what: string): void {
    const waits = records.value !== null;
    records.value = what;
    if (waits) return;
    void navigator.locks.request(LOCK, () => {
      records.value = null;
    });
  }

  /** Promise that settles once the last lock that was waited for is free. */
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
    // A window that only tests the lock holds it for a moment; one that records answers the question.
    say('who');
    await new Promise((next) => setTimeout(next, ANSWERS_WITHIN));
    if (records.value === null && (await tryOnce(title))) return true;
    waitFor(records.value ?? 'another song');
    return false;
  }
  let asking: Promise<boolean> | null = null;
  /**
   * Makes this window the recording one. Two calls at once share one request: a second would wait for the first one's
   * lock, and start a pass when that ends.
   * @returns false where another window records
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
