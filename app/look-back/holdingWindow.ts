import { useEventListener } from '@vueuse/core';

/**
 * A thing that one window of a browser does for all of them: the one that was last in the player's hands; when that one
 * goes, the next in line.
 * @param lock its name
 * @param took told when this window takes over from another
 */
export function useTurn(lock: string, took: () => void): { readonly mine: () => boolean } {
  // Until it is known who has it, each does it: twice is better than not at all.
  let mine = true;
  let inLine = false;

  /** Held until another window takes it. */
  function hold(options: LockOptions): Promise<unknown> {
    return navigator.locks.request(lock, options, () => {
      inLine = false;
      mine = true;
      took();
      return new Promise<never>(() => {});
    });
  }
  function lost(): void {
    mine = false;
    if (inLine) return;
    inLine = true;
    void hold({}).catch(lost);
  }
  function take(): void {
    if (!mine) void hold({ steal: true }).catch(lost);
  }

  void navigator.locks
    .request(lock, { ifAvailable: true }, (granted) => {
      if (granted) return new Promise<never>(() => {});
      lost();
      if (document.hasFocus()) take();
      return undefined;
    })
    .catch(lost);
  useEventListener(window, 'focus', take);
  return { mine: () => mine };
}
