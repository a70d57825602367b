import { useEventListener } from '@vueuse/core';

/**
 * Elects one window of this browser by a Web Lock. The window that gets the focus takes the lock; when it closes, the
 * next in the queue has it.
 * @param lock its name
 * @param took called when this window takes over from another
 */
export function useTurn(lock: string, took: () => void): { readonly mine: () => boolean } {
  // Until the election is known every window counts as elected: holding twice loses nothing.
  let mine = true;
  let inLine = false;

  /** Holds the lock until another window takes it. */
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
