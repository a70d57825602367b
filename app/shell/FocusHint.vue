<script setup lang="ts">
import { useEventListener } from '@vueuse/core';
import { ref, watch } from 'vue';
import { useNotices } from '~/notices/notices';

/** Space always plays, so a focused button shows that Enter presses it. */
const KEY = 'Enter';
const PRESSED_BY_KEYS = 'button, [role="button"]';
/** Menus and dialogs use Space themselves. */
const OWN_KEYS = '.v-overlay-container';
const GAP = 4;
/** Height of the hint with its gap. */
const ROOM = 15 + GAP;

const notices = useNotices();
const place = ref<{ left: string; top: string } | null>(null);

function look(): void {
  const button = document.activeElement?.closest<HTMLElement>(PRESSED_BY_KEYS);
  const shown = button?.matches(':focus-visible') && !button.closest(OWN_KEYS);
  if (!button || !shown) {
    place.value = null;
    return;
  }
  button.setAttribute('aria-keyshortcuts', KEY);
  const box = button.getBoundingClientRect();
  // The hint is above the button, or below it at the top of the page, and never over its label.
  const top = box.top > ROOM ? box.top - ROOM : box.bottom + GAP;
  place.value = { left: `${box.left + box.width / 2}px`, top: `${top}px` };
}
useEventListener('focusin', look);
useEventListener('focusout', look);
// Notices move the page below them.
watch(() => notices.list, look, { flush: 'post' });
useEventListener('scroll', look, { capture: true, passive: true });
</script>

<template>
  <kbd v-if="place" class="hint" :style="place" aria-hidden="true">{{ KEY }}</kbd>
</template>

<style scoped>
.hint {
  position: fixed;
  z-index: 1000;
  transform: translateX(-50%);
  padding: 0 5px;
  border-radius: 4px;
  background: var(--copper);
  color: var(--sheet);
  opacity: 1;
  line-height: 15px;
  pointer-events: none;
}
</style>
