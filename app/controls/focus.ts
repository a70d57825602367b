import type { Directive } from 'vue';

/**
 * `v-focus` focuses a field or button as soon as it is on the page. The `autofocus` attribute acts some frames later,
 * and keys pressed until then would count as shortcuts.
 */
export const vFocus: Directive<HTMLElement> = {
  mounted: (element) => (element.querySelector<HTMLElement>('input, textarea') ?? element).focus(),
};
