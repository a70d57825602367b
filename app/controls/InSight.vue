<script setup lang="ts">
import { useIntersectionObserver } from '@vueuse/core';
import { ref } from 'vue';

/**
 * A place in a long list whose content is there only while it is in sight or nearly so: a page of hundreds of things
 * holds the few that are looked at. What is being worked in stays.
 */
const props = defineProps<{
  /** Height before it was first seen, in pixels. */
  height: number;
  /** Content that is there from the beginning. */
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
