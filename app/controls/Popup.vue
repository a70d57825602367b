<script setup lang="ts">
import { nextTick, useTemplateRef, watch } from 'vue';

/**
 * Controls in a card beside what opens it. While it is open it has the keys: Enter finishes a field, Escape lets go of
 * what was typed and closes, and single letters mean what they mean on the page.
 */
defineOptions({ inheritAttrs: false });
const open = defineModel<boolean>({ default: false });
defineProps<{
  /** Its name, for those who do not see it. */
  label: string;
  width?: number;
}>();

const card = useTemplateRef<{ readonly $el: HTMLElement }>('card');
let opener: Element | null = null;
/** The words that a field held when it was come to. */
let before = '';
const isField = (target: EventTarget | null): target is HTMLInputElement | HTMLTextAreaElement =>
  target instanceof HTMLTextAreaElement ||
  (target instanceof HTMLInputElement && !/^(checkbox|radio|range)$/.test(target.type));

watch(open, async (is) => {
  if (!is) return;
  opener = document.activeElement;
  await nextTick();
  // A field in it may have taken the keys by itself.
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
    // The menu around it would take Enter for Tab.
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
