import { useLocalStorage } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed } from 'vue';
import { ACTIONS, type Action } from '~~/core/performance/learned';
import { useKeyboards } from '~/keyboards/keyboards';
import { ACTION_FACTS, keyWords } from './actions';
import { RECENT_KEYS } from './presets';

/** Keys that a station uses for something else; no action can have them. */
const TAKEN =
  /^(shift\+)?[0-9]$|^(tab|enter|escape|home|end|pageup|pagedown|backspace|delete|arrowup|arrowdown|\?|b|m|s)$/;

/** Outcome of assigning a key: done, done by taking it from another action, or the reason why not. */
export type KeyOutcome =
  { readonly type: 'set'; readonly from: Action | null } | { readonly type: 'refused'; readonly why: string };

/** Computer key of each action: the default, or the one that the player assigned in this browser. */
export const useActionKeys = defineStore('action keys', () => {
  const keyboards = useKeyboards();
  /** Assignments that differ from the defaults; an empty string for an action without a key. */
  const own = useLocalStorage<Record<string, string>>('tall-kettle keys', {});

  const keyOf = (action: Action): string => own.value[action] ?? ACTION_FACTS[action].key ?? '';
  const actionOf = computed(
    () => new Map(ACTIONS.flatMap((action) => (keyOf(action) ? [[keyOf(action), action] as const] : []))),
  );
  /** "Shift U", "Ctrl R" while the computer's keys play; empty for one without a key. */
  function wordsOf(action: Action): string {
    const key = keyOf(action);
    return key && keyWords(key, keyboards.computerPlays);
  }
  const isChanged = computed(() => Object.keys(own.value).length > 0);

  /** Assigns a key to an action, taking it from any other; an empty string removes the action's key. */
  function give(action: Action, key: string): KeyOutcome {
    if (TAKEN.test(key) || (RECENT_KEYS as readonly string[]).includes(key))
      return { type: 'refused', why: `${keyWords(key, false)} has a meaning of its own. Take another key.` };
    const from = (key && actionOf.value.get(key)) || null;
    own.value = { ...own.value, ...(from ? { [from]: '' } : {}), [action]: key };
    return { type: 'set', from: from === action ? null : from };
  }
  const reset = (): void => {
    own.value = {};
  };
  return { keyOf, actionOf, wordsOf, isChanged, give, reset };
});
