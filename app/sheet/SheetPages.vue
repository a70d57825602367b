<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { computed, ref } from 'vue';
import { INK_WIDTH, type SheetPage } from '~~/core/document/sheet';
import { unpackNumbers } from '~~/core/performance/noteSet';
import type { ShownSheet } from './sheet';

/** Pages side by side with marks on them, and a frame around the bar that plays. */
const props = withDefaults(
  defineProps<{ shown: ShownSheet; tool?: 'look' | 'bars' | 'write' | 'rub out'; withBars?: boolean }>(),
  { tool: 'look', withBars: false },
);
const emit = defineEmits<{
  tell: [page: string, top: number];
  write: [page: string, points: number[]];
  rub: [id: string];
}>();

const host = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(host);
const GAP = 12;
const widthOf = (page: SheetPage | null): number => {
  const room = (width.value - GAP * (props.shown.pages.length - 1)) / props.shown.pages.length;
  return Math.floor(Math.max(0, Math.min(room, height.value / (page?.aspect ?? 1.4))));
};

/** Points of a line for an SVG polyline. */
function pointsOf(packed: string): string {
  let [x, y] = [0, 0];
  const steps = unpackNumbers(packed);
  const words: string[] = [];
  for (let i = 0; i + 1 < steps.length; i += 2) {
    x += steps[i]!;
    y += steps[i + 1]!;
    words.push(`${x},${y}`);
  }
  return words.join(' ');
}
const inkOf = (page: string) =>
  props.shown.ink.filter((s) => s.page === page).map((s) => ({ id: s.id, points: pointsOf(s.points) }));
const systemsOf = (page: string) => props.shown.systems.filter((s) => s.page === page);
const markOn = (page: string) => (props.shown.mark?.page === page ? props.shown.mark : null);

/** Line that is being drawn. */
const line = ref<{ readonly page: string; readonly points: readonly number[] } | null>(null);
/** Least distance between two points of a line. */
const STEP = INK_WIDTH / 400;
const placeOf = (event: PointerEvent): readonly [number, number] => {
  const box = (event.currentTarget as Element).getBoundingClientRect();
  return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
};
const inkAt = (event: PointerEvent, { aspect }: SheetPage): [number, number] => {
  const [x, y] = placeOf(event);
  return [Math.round(x * INK_WIDTH), Math.round(y * INK_WIDTH * aspect)];
};
function down(event: PointerEvent, page: SheetPage): void {
  if (event.button !== 0) return;
  if (props.tool === 'bars') emit('tell', page.id, Math.min(1, Math.max(0, placeOf(event)[1])));
  if (props.tool !== 'write') return;
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  line.value = { page: page.id, points: inkAt(event, page) };
}
function move(event: PointerEvent, page: SheetPage): void {
  const own = line.value;
  if (own?.page !== page.id) return;
  const [x, y] = inkAt(event, page);
  const [before, above] = own.points.slice(-2) as [number, number];
  if (Math.abs(x - before) + Math.abs(y - above) >= STEP) line.value = { ...own, points: [...own.points, x, y] };
}
function up(): void {
  const own = line.value;
  line.value = null;
  if (own && own.points.length > 2) emit('write', own.page, [...own.points]);
}
const underWay = computed(() => {
  const own = line.value;
  return own && { page: own.page, points: own.points.map((n, i) => (i % 2 ? `${n} ` : `${n},`)).join('') };
});
</script>

<template>
  <div ref="host" class="pages" :class="tool.replace(' ', '-')">
    <template v-for="(page, i) in shown.pages" :key="i">
      <div v-if="!page" class="none" :style="{ width: `${widthOf(null)}px` }" aria-hidden="true" />
      <div
        v-else
        class="page"
        role="img"
        :aria-label="`Page ${page.page + 1} of the sheet`"
        :style="{ width: `${widthOf(page)}px`, height: `${Math.round(widthOf(page) * page.aspect)}px` }"
      >
        <SheetPaper :page="page" :width="widthOf(page)" />
        <svg
          :viewBox="`0 0 ${INK_WIDTH} ${INK_WIDTH * page.aspect}`"
          preserveAspectRatio="none"
          @pointerdown="down($event, page)"
          @pointermove="move($event, page)"
          @pointerup="up"
          @pointercancel="up"
        >
          <rect
            v-if="markOn(page.id)"
            class="mark"
            :x="markOn(page.id)!.left * INK_WIDTH"
            :width="(markOn(page.id)!.right - markOn(page.id)!.left) * INK_WIDTH"
            :y="markOn(page.id)!.top * INK_WIDTH * page.aspect"
            :height="(markOn(page.id)!.bottom - markOn(page.id)!.top) * INK_WIDTH * page.aspect"
          />
          <polyline
            v-for="stroke in inkOf(page.id)"
            :key="stroke.id"
            :points="stroke.points"
            class="ink"
            @pointerdown="tool === 'rub out' && emit('rub', stroke.id)"
          />
          <polyline v-if="underWay?.page === page.id" :points="underWay.points" class="ink" />
          <template v-if="withBars">
            <g v-for="s in systemsOf(page.id)" :key="s.bar" class="system">
              <line
                x1="0"
                :x2="INK_WIDTH * 0.05"
                :y1="s.top * INK_WIDTH * page.aspect"
                :y2="s.top * INK_WIDTH * page.aspect"
              />
              <text x="20" :y="s.top * INK_WIDTH * page.aspect + 110">{{ s.bar }}</text>
            </g>
          </template>
        </svg>
      </div>
    </template>
  </div>
</template>

<style scoped>
.pages {
  display: flex;
  gap: 12px;
  justify-content: center;
  align-items: flex-start;
  min-height: 0;
  min-width: 0;
  height: 100%;
  overflow: hidden;
}
.page {
  position: relative;
  flex: none;
  border: 1px solid var(--rule);
}
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.bars svg,
.write svg {
  cursor: crosshair;
  touch-action: none;
}
.mark {
  fill: var(--copper);
  fill-opacity: 0.14;
  stroke: var(--copper);
  stroke-width: 10;
}
.ink {
  fill: none;
  stroke: var(--sea);
  stroke-width: 14;
  stroke-linecap: round;
  stroke-linejoin: round;
}
.rub-out .ink {
  cursor: pointer;
  stroke-width: 26;
}
.system line {
  stroke: var(--copper);
  stroke-width: 12;
}
.system text {
  font: 600 100px var(--figures);
  fill: var(--copper);
}
</style>
