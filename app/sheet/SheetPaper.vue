<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue';
import type { SheetPage } from '~~/core/document/sheet';
import { wordsOf } from '~/api/api';
import { drawnSheetPage } from './drawnSheet';

/** Picture of a page; the page before stays until it is drawn. */
const props = defineProps<{ page: SheetPage; width: number }>();
const host = ref<HTMLElement | null>(null);
const trouble = ref('');
let gone = false;

watch(
  [() => props.page, () => props.width],
  async ([page, width]) => {
    if (width <= 0) return;
    trouble.value = '';
    try {
      const canvas = await drawnSheetPage(page, width * (window.devicePixelRatio || 1));
      // Another page may have been requested meanwhile.
      if (gone || page.id !== props.page.id || width !== props.width) return;
      canvas.style.cssText = 'width: 100%; height: 100%; display: block';
      host.value?.replaceChildren(canvas);
    } catch (error) {
      trouble.value = wordsOf(error);
    }
  },
  { immediate: true, flush: 'post' },
);
onBeforeUnmount(() => {
  gone = true;
});
</script>

<template>
  <div ref="host" class="sheet-paper" />
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }} The song works without it.</p>
</template>

<style scoped>
.sheet-paper {
  width: 100%;
  height: 100%;
}
.trouble {
  position: absolute;
  inset: 30% 8% auto;
  color: var(--copper-ink);
}
/* In a dark room white pages would be lamps: the print is light, and its colours stay about what they are. */
:global(.v-theme--night .sheet-paper) {
  filter: invert(0.88) hue-rotate(180deg);
}
</style>
