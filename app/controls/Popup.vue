<script setup lang="ts">
import { nextTick, useTemplateRef, watch } from 'vue';

/**
 * Card with controls beside its opener. While it is open it has the keyboard: Enter finishes a field, Escape drops what
 * was typed and closes, and single letters keep their meaning on the page.
 */
defineOptions({ inheritAttrs: false });
const open = defineModel<boolean>({ default: false });
defineProps<{
  /** Name for screen readers. */
  label: string;
  width?: number;
}>();

const card = useTemplateRef<{ readonly $el: HTMLElement }>('card');
let opener: Element | null = null;
/** Text of the field when it got the focus. */
let before = '';
const isField = (target: EventTarget | null): target is HTMLInputElement | HTMLTextAreaElement =>
  target instanceof HTMLTextAreaElement ||
  (target instanceof HTMLInputElement && !/^(checkbox|radio|range)$/.test(target.type));

watch(open, async (is) => {
  if (!is) return;
  opener = document.activeElement;
  await nextTick();
  // A field in the card may have taken the focus by itself.
  if (!card.value?.$el.contains(document.activeElement)) card.value?.$el.focus();
});

function come({ target }: FocusEvent): void {
  if (isField(target)) before = target.value;
}
function press(event: KeyboardEvent): void {
  const { key, target } = event;
  if (key === 'Escape' && !event.isComposing) {
    if (isField(target) && target.value !== before) {
      target.value = before;
      target.dispatchEvent(new Event('input', { bubbles: true }));
    }
    open.value = false;
    if (opener instanceof HTMLElement) opener.focus();
  } else if (key === 'Enter') {
    // The menu around it would treat Enter as Tab.
    event.stopPropagation();
    if (target instanceof HTMLInputElement && isField(target) && !target.form) {
      event.preventDefault();
      card.value?.$el.focus();
    }
  }
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" v-bind="$attrs">
    <template #activator="activator"><slot name="activator" v-bind="activator" /></template>
    <v-card
      ref="card"
      class="popup"
      role="dialog"
      tabindex="-1"
      :aria-label="label"
      :width="width"
      :min-width="width ? undefined : 280"
      :max-width="width ? undefined : 420"
      @focusin="come"
      @keydown="press"
      ><slot
    /></v-card>
  </v-menu>
</template>

<style scoped>
.popup {
  padding: 14px;
  display: grid;
  gap: 10px;
  align-content: start;
  max-height: 80vh;
  overflow: auto;
}
.popup :slotted(p) {
  margin: 0;
  font-size: 13px;
}
.popup:focus {
  outline: none;
}
</style>
