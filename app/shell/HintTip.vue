<script setup lang="ts">
import { useEventListener, useTimeoutFn } from '@vueuse/core';
import { shallowRef } from 'vue';

/**
 * Shows the words of whatever control the pointer, a finger or the keys rest on (`v-hint`): one tip for the whole page.
 * A finger that has stayed for them presses nothing.
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
  // By keys alone: a control that was clicked needs no more words.
  if ((event.target as Element).matches(':focus-visible')) look(event);
});
/** A finger stayed for the words: the click that it ends in is none. */
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
