<script setup lang="ts">
import { useRafFn } from '@vueuse/core';
import { ref } from 'vue';
import type { AudioEngine } from '~~/engine/audio';
import { useSound } from './sound';

/**
 * The level of one thing that sounds. It draws by itself: what stands around it is not rendered again with every frame.
 */
const props = defineProps<{ label: string; peak: (engine: AudioEngine) => number }>();
const sound = useSound();
const bar = ref<HTMLElement | null>(null);

const FLOOR_DB = -48;
/** How much of a held peak is left at the next frame. */
const FALL = 0.94;
const SILENT = 0.001;
let held = 0;
useRafFn(() => {
  const now = sound.engine ? Math.max(props.peak(sound.engine), held * FALL) : 0;
  const next = now < SILENT ? 0 : now;
  if (next === held || !bar.value) return;
  held = next;
  const share = held === 0 ? 0 : Math.max(0, Math.min(1, 1 - (20 * Math.log10(held)) / FLOOR_DB));
  bar.value.style.transform = `scaleX(${share})`;
  bar.value.classList.toggle('over', held >= 1);
});
</script>

<template>
  <div class="level" role="img" :aria-label="`Level of ${label}`"><i ref="bar" /></div>
</template>

<style scoped>
.level {
  height: 3px;
  background: var(--rule-soft);
  border-radius: 2px;
  overflow: hidden;
  contain: strict;
}
.level i {
  display: block;
  height: 100%;
  background: var(--moss);
  transform-origin: left;
  transform: scaleX(0);
}
.level i.over {
  background: var(--live);
}
</style>
