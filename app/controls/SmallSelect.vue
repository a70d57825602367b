<script setup lang="ts" generic="Value extends string | number | null">
import { ref } from 'vue';

/** Select of a line's height. */
const chosen = defineModel<Value>({ required: true });
defineProps<{ items: readonly { readonly value: Value; readonly title: string }[]; label: string }>();
const select = ref<{ $el: HTMLElement } | null>(null);
/** Time within which the list, once it has left, gives the focus back to the field. */
const GIVES_BACK_MS = 1000;
/** Lets go of the focus once the list is closed, so that the page's keys work again. */
function closed(isOpen: boolean): void {
  const field = select.value?.$el.querySelector('input');
  if (isOpen || !field) return;
  field.blur();
  field.addEventListener('focus', () => field.blur(), { once: true, signal: AbortSignal.timeout(GIVES_BACK_MS) });
}
</script>

<template>
  <v-select
    ref="select"
    v-model="chosen"
    class="small-field small-select"
    :items="items"
    :aria-label="label"
    single-line
    hide-details
    :menu-props="{ contentClass: 'small-list' }"
    @update:menu="closed"
  />
</template>
