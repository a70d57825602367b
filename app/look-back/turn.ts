import { useEventListener } from '@vueuse/core';

/**
 * A thing that one window of a browser does for all of them: the one that was last in the player's hands.
 * @param lock its name
 * @param took told when this window takes over from another
 */
export function useTurn(lock: string, took: () => void): { readonly mine: () => boolean } {
  // Until it is known who has it, each does it: twice is better than not at all.
  let mine = true;
  let asked = false;

  function take(options: LockOptions): void {
    const first = options.ifAvailable === true;
    if ((mine && !first) || asked) return;
    asked = true;
    void navigator.locks
      .request(lock, options, (granted) => {
        asked = false;
        mine = granted !== null;
        if (!mine) return undefined;
        if (!first) took();
        // It is held until another window takes it.
        return new Promise<never>(() => {});
      })
      .catch(() => {
        mine = false;
      });
  }

  take({ ifAvailable: true });
  if (document.hasFocus()) setTimeout(() => take({ steal: true }));
  useEventListener(window, 'focus', () => take({ steal: true }));
  return { mine: () => mine };
}
