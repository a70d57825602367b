<script setup lang="ts">
import { Chart, BarController, BarElement, CategoryScale, LinearScale } from 'chart.js';
import { computed, ref } from 'vue';
import type { Feel } from '~~/core/timing/feel';
import { lineWords } from '~~/core/timing/words';
import { meterMap } from '~~/core/time/meter';
import { TOKENS } from '~/drawing/inks';
import { useChart } from '~/drawing/useChart';

/** Chart of a feel: deviation in time and velocity at each place of the bar. */
const props = defineProps<{ feel: Feel }>();
const canvas = ref<HTMLCanvasElement | null>(null);

Chart.register(BarController, BarElement, CategoryScale, LinearScale);
const PLAIN = meterMap([{ bar: 1, beats: 64, unit: 4 }]);
const labels = computed(() => props.feel.places.map((p) => lineWords(p.at, PLAIN)));
const words = computed(() =>
  props.feel.places
    .map(
      (p, i) => `${labels.value[i]}: ${Math.round(p.ms)} ms, velocity ${p.touch > 0 ? '+' : ''}${Math.round(p.touch)}`,
    )
    .join('; '),
);
useChart(canvas, () => ({
  type: 'bar' as const,
  data: {
    labels: labels.value,
    datasets: [
      { data: props.feel.places.map((p) => p.ms), backgroundColor: TOKENS.copper, yAxisID: 'y' },
      { data: props.feel.places.map((p) => p.touch), backgroundColor: TOKENS.ink2, yAxisID: 'touch' },
    ],
  },
  options: {
    maintainAspectRatio: false,
    events: [],
    scales: {
      x: { grid: { display: false }, ticks: { font: { size: 9 }, maxRotation: 0, autoSkip: true, autoSkipPadding: 8 } },
      y: { ticks: { font: { size: 9 }, maxTicksLimit: 4, callback: (ms: number | string) => `${ms} ms` } },
      touch: { display: false, position: 'right' as const },
    },
  },
}));
</script>

<template>
  <div class="feel-picture"><canvas ref="canvas" role="img" :aria-label="`${feel.name}. ${words}`" /></div>
</template>

<style scoped>
.feel-picture {
  position: relative;
  height: 84px;
}
</style>
