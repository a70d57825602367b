<script setup lang="ts">
import { useRafFn, useElementSize } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { barAt, barStart } from '~~/core/time/meter';
import type { Note } from '~~/core/performance/notes';
import type { Grid } from '~~/core/timing/grid';
import type { TreatedReading } from '~~/core/timing/treatment';
import { useReading } from '~/song/reading';
import { useCanvas } from '~/drawing/useCanvas';
import { keyRangeOf } from '~/chart/chartDrawing';
import { PART_INKS } from '~/drawing/inks';
import { drawPedal, drawPencil, drawRollGrid, drawRollNotes, rollX, type RollFrame } from './rollDrawing';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';

const props = defineProps<{
  line: TreatedReading;
  grid: Grid | null;
  /** Notes of another take, in pencil beneath. */
  beneath?: readonly Note[];
}>();
const BARS = 4;

const reading = useReading();
const session = useSession();
const roll = useRoll();
const card = ref<HTMLElement | null>(null);
const host = ref<HTMLDivElement | null>(null);
const { width, height } = useElementSize(card);

const firstBar = ref(1);
const view = computed(() => {
  const { meter } = reading.maps!;
  return { from: barStart(meter, firstBar.value), to: barStart(meter, firstBar.value + BARS) };
});
const frame = computed((): RollFrame => ({
  width: Math.max(300, width.value),
  height: Math.max(200, height.value),
  view: view.value,
  keys: widened(keyRangeOf([...props.line.notes, ...(props.beneath ?? [])])),
}));
const ink = computed(() => PART_INKS[reading.shown?.ink ?? 'sea']);

/** A little air above and below. */
function widened({ low, high }: { low: number; high: number }) {
  return { low: low - 2, high: high + 2 };
}

const canvas = useCanvas(host, [
  (c) => {
    drawRollGrid(c, frame.value, reading.maps!, props.grid);
    drawPencil(c, frame.value, props.beneath ?? []);
    drawPedal(c, frame.value, props.line);
    drawRollNotes(c, frame.value, props.line.notes, ink.value, roll.asPlayed);
  },
]);
const head = ref<HTMLElement | null>(null);
watch([canvas, width, height], () => canvas.value?.resize(frame.value.width, frame.value.height));
watch([canvas, frame, () => props.line, () => props.beneath, () => props.grid, ink, () => roll.asPlayed], () =>
  canvas.value?.redraw(),
);

/** The view turns its page with the playhead. */
let last = -1;
useRafFn(() => {
  if (!head.value) return;
  const tick = roll.tickNow();
  if (tick === last) return;
  last = tick;
  const bar = Math.max(1, barAt(reading.maps!.meter, tick));
  firstBar.value = Math.floor((bar - 1) / BARS) * BARS + 1;
  head.value.style.transform = `translateX(${Math.round(rollX(frame.value, tick)) - 1}px)`;
});
watch(frame, () => {
  last = -1;
});

const described = computed(() => {
  const { notes } = props.line;
  const within = notes.filter((n) => n.start >= view.value.from && n.start < view.value.to);
  const moved = within.filter((n) => n.start !== n.played.start).length;
  return (
    `Piano roll of ${reading.shown?.name ?? 'no part'}, bars ${firstBar.value} to ` +
    `${firstBar.value + BARS - 1}: ${within.length} notes, ${moved} moved by the treatment. Arrows turn ` +
    'to other bars.'
  );
});

function click(event: MouseEvent): void {
  const box = host.value!.getBoundingClientRect();
  const f = frame.value;
  const share = (event.clientX - box.left - rollX(f, f.view.from)) / (rollX(f, f.view.to) - rollX(f, f.view.from));
  if (share >= 0 && share <= 1) session.seek(f.view.from + share * (f.view.to - f.view.from));
}
</script>

<template>
  <div ref="card" class="roll sheet drawn-sheet" role="application" tabindex="0" :aria-label="described" @click="click">
    <div ref="host" />
    <i ref="head" class="head" />
    <div v-if="line.notes.length === 0" class="empty quiet">
      {{
        reading.shown
          ? `${reading.shown.name} is not played yet. Record it on Play, then tidy it here.`
          : 'This song has no parts yet.'
      }}
    </div>
  </div>
</template>

<style scoped>
.roll {
  overflow: hidden;
}
.head {
  position: absolute;
  left: 0;
  top: 20px;
  bottom: 12px;
  width: 2px;
  background: var(--copper);
  pointer-events: none;
  will-change: transform;
}
.empty {
  position: absolute;
  left: 70px;
  top: 50px;
}
</style>
