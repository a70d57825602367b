import { Chart, type ChartConfiguration, type ChartType } from 'chart.js';
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue';
import { FONTS, TOKENS } from './inks';

/**
 * Chart by Chart.js in the theme's colours, without animation, redrawn when its data change. Scales and elements have
 * to be registered (`Chart.register`) by the caller.
 */
export function useChart<Type extends ChartType>(
  canvas: Ref<HTMLCanvasElement | null>,
  shows: () => ChartConfiguration<Type>,
): void {
  let chart: Chart<Type> | undefined;
  function inInks(): void {
    Chart.defaults.font.family = FONTS.text;
    Chart.defaults.color = TOKENS.ink2;
    Chart.defaults.borderColor = TOKENS.rule;
    Chart.defaults.animation = false;
  }
  onMounted(() => {
    inInks();
    chart = new Chart(canvas.value!, shows());
  });
  watch([shows, TOKENS] as const, ([now]) => {
    if (!chart) return;
    inInks();
    chart.data = now.data;
    if (now.options) chart.options = now.options;
    chart.update();
  });
  onBeforeUnmount(() => chart?.destroy());
}
