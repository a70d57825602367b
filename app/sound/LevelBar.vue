<script setup lang="ts">
import { decibelsFromGain } from '~~/core/time/units';
import { ref } from 'vue';
import type { AudioEngine } from '~~/engine/audio';
import { METER_TURNS, useFrames, useReadablePace } from '~/drawing/useFrames';
import { useSound } from './sound';

/** Level meter of one sound source. It draws by itself, so that nothing around it is rendered with each frame. */
const props = defineProps<{
  label: string;
  peak: (engine: AudioEngine) => number;
  /** True for an input, whose level moves whether anything is heard or not. */
  comesIn?: boolean;
}>();
const sound = useSound();
const bar = ref<HTMLElement | null>(null);

const FLOOR_DB = -48;
const card = ref<HTMLElement | null>(null);
/** Share of the shown peak that remains at the next drawing. */
const FALL = 0.88;
const SILENT = 0.001;
let shown = 0;
const sayLevel = useReadablePace((db) => {
  if (card.value) card.value.ariaValueNow = String(db);
});
const moves = (): boolean => props.comesIn || sound.sounds;
useFrames(
  moves,
  () => {
    const now = sound.engine && moves() ? Math.max(props.peak(sound.engine), shown * FALL) : 0;
    const next = now < SILENT ? 0 : now;
    if (next === shown || !bar.value) return;
    shown = next;
    const db = shown === 0 ? FLOOR_DB : Math.max(FLOOR_DB, Math.min(0, decibelsFromGain(shown)));
    bar.value.style.transform = `scaleX(${1 - db / FLOOR_DB})`;
    sayLevel(Math.round(db));
    bar.value.classList.toggle('over', shown >= 1);
  },
  METER_TURNS,
);
</script>

<template>
  <div
    ref="card"
    class="level"
    role="meter"
    :aria-label="`Level of ${label}, dBFS`"
    :aria-valuemin="FLOOR_DB"
    aria-valuemax="0"
    :aria-valuenow="FLOOR_DB"
  >
    <i ref="bar" />
  </div>
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
  will-change: transform;
}
.level i.over {
  background: var(--live-fill);
}
</style>
