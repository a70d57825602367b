<script setup lang="ts">
import { useEventListener, useTimeoutFn } from '@vueuse/core';
import { shallowRef } from 'vue';

/**
 * Tooltip for the control that the pointer, a finger or the keyboard rests on (`v-hint`); one for the page. A long
 * touch shows it without pressing.
 */
const RESTS = 500;
const over = shallowRef<HTMLElement | null>(null);
const shown = shallowRef<HTMLElement | null>(null);
const { start, stop } = useTimeoutFn(() => (shown.value = over.value), RESTS, { immediate: false });

function look(event: Event): void {
  const hinted = (event.target as Element | null)?.closest?.<HTMLElement>('[data-hint]') ?? null;
  if (hinted === over.value) return;
  over.value = hinted;
  shown.value = null;
  if (hinted) start();
  else stop();
}
function leave(): void {
  over.value = null;
  shown.value = null;
  stop();
}
useEventListener('pointerover', look, { passive: true });
useEventListener('focusin', (event) => {
  // Only keyboard focus shows it: a clicked control needs no explanation.
  if ((event.target as Element).matches(':focus-visible')) look(event);
});
/** True after a long touch: the click that ends it is cancelled. */
let stayed = false;
useEventListener('pointerdown', (event) => {
  stayed = false;
  leave();
  if (event.pointerType === 'touch') look(event);
});
useEventListener(['pointerup', 'pointercancel'], ({ pointerType }) => {
  if (pointerType !== 'touch') return;
  stayed = shown.value !== null;
  if (!stayed) leave();
});
useEventListener(
  'click',
  (event) => {
    if (!stayed) return;
    stayed = false;
    event.preventDefault();
    event.stopPropagation();
  },
  { capture: true },
);
useEventListener(['keydown', 'blur'], leave);
useEventListener('scroll', leave, { capture: true, passive: true });
</script>

<template>
  <!-- Whoever does not see it has the same words as the control's description. -->
  <v-tooltip
    v-if="shown?.isConnected"
    :model-value="true"
    :target="shown"
    :text="shown.dataset.hint"
    location="top"
    content-class="hint-tip"
    aria-hidden="true"
  />
</template>
