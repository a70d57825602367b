<script setup lang="ts">
import { computed } from 'vue';
import type { BarRun, BarState } from '~~/core/reading/barStates';

/**
 * Strip of a part's bars, coloured by their state. Bars of one state are drawn as one shape, as a song may have
 * thousands.
 */
const props = defineProps<{ bars: readonly BarRun[]; label: string }>();
/** Share of a bar's width that is filled. */
const FILLED = 0.84;
const HEIGHT = 13;
const drawn = computed(() => {
  const shapes = new Map<BarState, string>();
  let [total, marks] = [0, ''];
  for (const { state, bars } of props.bars) {
    let shape = shapes.get(state) ?? '';
    for (let bar = total; bar < total + bars; bar += 1) {
      shape += `M${bar + (1 - FILLED) / 2} .5h${FILLED}v${HEIGHT - 1}h${-FILLED}z`;
      if (state === 'handed over') marks += `M${bar + 0.25} 6.5h.5`;
    }
    shapes.set(state, shape);
    total += bars;
  }
  return { total, marks, shapes: [...shapes] };
});
</script>

<template>
  <svg
    class="strip"
    role="img"
    :aria-label="label"
    :viewBox="`0 0 ${Math.max(1, drawn.total)} ${HEIGHT}`"
    preserveAspectRatio="none"
  >
    <path v-for="[state, shape] in drawn.shapes" :key="state" :class="state.replace(' ', '-')" :d="shape" />
    <path v-if="drawn.marks" class="mark" :d="drawn.marks" />
  </svg>
</template>

<style scoped>
.strip {
  width: 100%;
  height: 13px;
  display: block;
}
path {
  fill: transparent;
  stroke: var(--rule);
  vector-effect: non-scaling-stroke;
}
.recorded {
  fill: var(--pencil-soft);
  stroke: var(--pencil);
}
.picked {
  fill: color-mix(in srgb, var(--ink-of-part) 45%, var(--sheet));
  stroke: var(--ink-of-part);
}
.tidied,
.handed-over {
  fill: var(--ink-of-part);
  stroke: var(--ink-of-part);
}
.mark {
  stroke: var(--sheet);
  stroke-width: 3px;
}
</style>
