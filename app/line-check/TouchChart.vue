<script setup lang="ts">
import { Chart, LinearScale, LineElement, PointElement, ScatterController } from 'chart.js';
import { computed, ref } from 'vue';
import { touched, type KeyboardSettings } from '~~/core/performance/keyboard';
import { TOKENS } from '~/drawing/inks';
import { useChart } from '~/drawing/useChart';

/** Touch curve from played to recorded velocity, with the player's latest notes on it. */
const props = defineProps<{
  curve: KeyboardSettings['curve'];
  /** Velocities as played and as recorded, 1 to 127, the latest last. */
  velocities: readonly (readonly [raw: number, sent: number])[];
}>();
const canvas = ref<HTMLCanvasElement | null>(null);

Chart.register(ScatterController, PointElement, LineElement, LinearScale);
const VELOCITIES = Array.from({ length: 127 }, (_, i) => i + 1);
const curve = computed(() => VELOCITIES.map((x) => ({ x, y: touched(x, props.curve) })));
const axis = { min: 0, max: 128, ticks: { stepSize: 64, font: { size: 9 }, maxRotation: 0 } };
useChart(canvas, () => ({
  type: 'scatter' as const,
  data: {
    datasets: [
      {
        data: props.velocities.map(([x, y]) => ({ x, y })),
        pointRadius: 2.6,
        pointHitRadius: 0,
        backgroundColor: TOKENS.copper,
        borderWidth: 0,
      },
      { data: curve.value, showLine: true, pointRadius: 0, borderColor: TOKENS.ink, borderWidth: 1.6 },
      {
        data: [
          { x: 0, y: 0 },
          { x: 127, y: 127 },
        ],
        showLine: true,
        pointRadius: 0,
        borderColor: TOKENS.rule,
        borderWidth: 1,
        borderDash: [3, 3],
      },
    ],
  },
  options: { maintainAspectRatio: false, events: [], scales: { x: axis, y: axis } },
}));
</script>

<template>
  <div class="touch-chart">
    <canvas ref="canvas" role="img" :aria-label="`Touch curve with your last ${velocities.length} velocities`" />
  </div>
</template>

<style scoped>
.touch-chart {
  position: relative;
  height: 132px;
}
</style>
