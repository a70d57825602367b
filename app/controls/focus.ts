import type { Directive } from 'vue';

/**
 * `v-focus` on a field or a button: it has the keys as soon as it is on the page. An `autofocus` of the field's own
 * comes some frames later, and what is typed until then would be taken for shortcuts.
 */
export const vFocus: Directive<HTMLElement> = {
  mounted: (element) => (element.querySelector<HTMLElement>('input, textarea') ?? element).focus(),
};
