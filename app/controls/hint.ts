import type { Directive } from 'vue';

const say = (element: HTMLElement, words: string): void => {
  element.dataset.hint = words;
  element.ariaDescription = words;
};

/** `v-hint="words"` shows the purpose of a control while the pointer or focus rests on it (`HintTip`). */
export const vHint: Directive<HTMLElement, string> = {
  mounted: (element, { value }) => say(element, value),
  updated: (element, { value }) => say(element, value),
};
