<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { Chart, LinearScale, LineElement, PointElement, ScatterController } from 'chart.js';
import { computed, ref } from 'vue';
import type { TapOutcome } from '~~/core/placement/tapTest';
import { TOKENS } from '~/drawing/inks';
import { useChart } from '~/drawing/useChart';

/** Chart of each tap's lateness with the median of both tests, so that habits, slips and drift can be told apart. */
const props = defineProps<{ own?: TapOutcome; through?: TapOutcome }>();
const canvas = ref<HTMLCanvasElement | null>(null);

Chart.register(ScatterController, PointElement, LineElement, LinearScale);
const SERIES = [
  { of: 'own', colour: TOKENS.copper, name: 'hearing itself' },
  { of: 'through', colour: TOKENS.ink, name: 'through here' },
] as const;
const measured = computed(() =>
  SERIES.flatMap((s) => {
    const outcome = props[s.of];
    return outcome?.type === 'measured' ? [{ ...s, outcome }] : [];
  }),
);
const words = computed(() =>
  measured.value
    .map(({ name, outcome }) => {
      const [first, last] = [Math.min(...outcome.taps), Math.max(...outcome.taps)].map((s) => Math.round(s * 1000));
      return `${many(outcome.taps.length, 'tap')} ${name}, from ${first} to ${last} ms late`;
    })
    .join('; '),
);
useChart(canvas, () => ({
  type: 'scatter' as const,
  data: {
    datasets: measured.value.flatMap(({ colour, outcome }) => [
      {
        data: outcome.taps.map((late, i) => ({ x: i + 1, y: late * 1000 })),
        pointRadius: 2.6,
        pointHitRadius: 0,
        backgroundColor: colour,
        borderWidth: 0,
      },
      {
        data: [1, outcome.taps.length].map((x) => ({ x, y: outcome.late * 1000 })),
        showLine: true,
        pointRadius: 0,
        borderColor: colour,
        borderWidth: 1,
        borderDash: [3, 3],
      },
    ]),
  },
  options: {
    maintainAspectRatio: false,
    events: [],
    scales: {
      x: { min: 0, max: 17, ticks: { stepSize: 4, font: { size: 9 }, maxRotation: 0 } },
      y: { ticks: { font: { size: 9 }, callback: (ms: number | string) => `${ms} ms` } },
    },
  },
}));
</script>

<template>
  <div class="tap-chart">
    <canvas ref="canvas" role="img" :aria-label="words" />
  </div>
</template>

<style scoped>
.tap-chart {
  position: relative;
  height: 96px;
}
</style>
