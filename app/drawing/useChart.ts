import { Chart, type ChartConfiguration, type ChartType } from 'chart.js';
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue';
import { FONTS, TOKENS } from './inks';

/**
 * A chart on a canvas, as Chart.js draws it, in this program's inks and without motion; drawn anew when what it shows
 * changes. Its kinds of scale and element have to be registered (`Chart.register`) by whoever uses them.
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
