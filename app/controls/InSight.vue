<script setup lang="ts">
import { useIntersectionObserver } from '@vueuse/core';
import { ref } from 'vue';

/** Container in a long list whose content exists only while it is in or near the view. Content with the focus stays. */
const props = defineProps<{
  /** Height in pixels before it was first shown. */
  height: number;
  /** True for content that exists from the start. */
  atOnce?: boolean;
}>();
const host = ref<HTMLElement | null>(null);
const shown = ref(props.atOnce);
const height = ref(props.height);
useIntersectionObserver(
  host,
  ([entry]) => {
    const inSight = entry?.isIntersecting ?? true;
    if (inSight === shown.value || host.value?.contains(document.activeElement)) return;
    if (!inSight) height.value = host.value!.offsetHeight;
    shown.value = inSight;
  },
  { rootMargin: '600px 0px' },
);
</script>

<template>
  <div ref="host" :style="shown ? undefined : { height: `${height}px` }"><slot v-if="shown" /></div>
</template>
