<script setup lang="ts">
import { computed } from 'vue';
import type { PlayedNote, PlayingReading } from '~~/core/lookback/playing';

/** Picture of a freely played phrase on the bars of one reading. */
const { notes, reading } = defineProps<{
  notes: readonly PlayedNote[];
  reading: PlayingReading;
  likeliest: boolean;
  chosen: boolean;
}>();

const WIDTH = 560;
const HEIGHT = 64;
const picture = computed(() => {
  const { beats, beatsPerBar } = reading;
  const from = beats[0]!;
  const to = beats.at(-1)!;
  const x = (at: number) => Math.round(((at - from) / (to - from)) * WIDTH * 10) / 10;
  const keys = notes.map((n) => n.key);
  const [low, high] = [Math.min(...keys), Math.max(Math.min(...keys) + 12, ...keys)];
  return {
    bars: beats.flatMap((b, i) => (i % beatsPerBar === 0 ? [x(b)] : [])),
    beats: beats.map(x),
    notes: notes.map((n) => ({
      x: x(n.start),
      width: Math.max(2, x(n.end) - x(n.start)),
      y: 6 + ((high - n.key) / (high - low)) * (HEIGHT - 16),
    })),
  };
});
</script>

<template>
  <button class="reading" :class="{ chosen }" :aria-pressed="chosen">
    <span class="words"
      >{{ Math.round(reading.bpm * 10) / 10 }} a minute, {{ reading.beatsPerBar }} beats a bar<span
        v-if="likeliest"
        class="quiet"
        >, likeliest</span
      ></span
    >
    <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" aria-hidden="true">
      <line v-for="(x, n) in picture.beats" :key="`b${n}`" :x1="x" :x2="x" y1="0" :y2="HEIGHT" class="beat" />
      <line v-for="(x, n) in picture.bars" :key="n" :x1="x" :x2="x" y1="0" :y2="HEIGHT" class="bar" />
      <rect v-for="(n, k) in picture.notes" :key="`n${k}`" :x="n.x" :y="n.y" :width="n.width" height="4" class="note" />
    </svg>
  </button>
</template>

<style scoped>
.reading {
  display: grid;
  gap: 2px;
  text-align: left;
  padding: 6px 10px;
  border: 1px solid var(--rule);
  border-radius: 8px;
  background: var(--sheet);
}
.reading.chosen {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
}
.words {
  font-size: 14px;
  font-weight: 600;
}
.words .quiet {
  font-weight: 400;
}
svg {
  width: 100%;
  height: 58px;
}
.beat {
  stroke: var(--rule-soft);
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
.bar {
  stroke: var(--ink-2);
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
.note {
  fill: var(--sea);
}
</style>
