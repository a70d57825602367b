<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { useElementSize } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import type { Lane } from '~~/core/performance/controls';
import type { Note } from '~~/core/performance/notes';
import type { Grid } from '~~/core/timing/grid';
import { rangeWords } from '~~/core/time/words';
import { partWay, type TreatedReading } from '~~/core/timing/treatment';
import { useClientNotes } from '~/client/clientNotes';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useCanvas } from '~/drawing/useCanvas';
import { useFrames } from '~/drawing/useFrames';
import { TOKENS } from '~/drawing/inks';
import { useFigures } from '~/timing/useDoubts';
import { useRoll } from '~/transport/roll';
import { keyOfY, LEFT, noteBottom, rollX, tickOfX, TOP, type RollFrame } from './rollFrame';
import { drawKeys, drawRollGrid } from './rollGrid';
import { drawDrawing, drawLane } from './rollLanes';
import {
  drawChosen,
  drawDoubts,
  drawFigures,
  drawHandMarks,
  drawPencil,
  drawRollNotes,
  drawRubber,
  drawSilent,
} from './rollNotes';
import { useRollView } from './rollView';
import { useTidy } from './tidy';
import { useRollKeys } from './useRollKeys';
import { useRollPointer, type LaneTool } from './useRollPointer';

const props = defineProps<{
  grid: Grid | null;
  /** Notes of another take or part, drawn beneath. */
  beneath: readonly Note[];
  lanes: readonly Lane[];
  laneTool: LaneTool;
  /** Notes that a repair is about. */
  marked: ReadonlySet<string>;
  /** Notes listed in Your ear. */
  doubtful: ReadonlySet<string>;
}>();

const tidy = useTidy();
const view = useRollView();
const reading = useReading();
const openSong = useOpenSong();
const roll = useRoll();
const clientNotes = useClientNotes();
const card = ref<HTMLElement | null>(null);
const host = ref<HTMLDivElement | null>(null);
const head = ref<HTMLElement | null>(null);
const { width, height } = useElementSize(card);

/** True while notes are shown as played or half treated: they cannot be edited then. */
const playedIsShown = computed(
  () => (roll.asPlayed || roll.timingView === 'played') && reading.shown !== undefined && !tidy.isCompared,
);
const halfOf = (treated: TreatedReading | null) =>
  treated && roll.timingView === 'half' ? partWay(treated, 0.5) : treated;
const line = computed(() =>
  playedIsShown.value ? reading.playedLine(reading.shown!) : halfOf(tidy.shown?.line ?? null),
);
const notes = computed(() => line.value?.notes ?? []);
const controls = computed(() => line.value?.controls ?? []);
const silent = computed(() => (playedIsShown.value ? [] : (tidy.shown?.silent ?? [])));
const frame = computed((): RollFrame => ({
  width: Math.max(300, width.value),
  height: Math.max(200, height.value),
  view: view.range,
  keys: view.keysOf(props.beneath.length ? [...notes.value, ...props.beneath] : notes.value),
  lanes: props.lanes,
}));
const ink = computed(() => TOKENS[reading.shown?.ink ?? 'sea']);
const tool = computed(() => props.laneTool);
const pointer = useRollPointer(host, frame, tool, controls);
const { dragged, rubber, rubberLine, said, bar, drawing } = pointer;
const keys = useRollKeys(pointer.removeBar, () => frame.value.keys);
const { spoken } = keys;

/** Figures in the line, such as rolls and trills. A take that is shown alone has none named. */
const figures = useFigures(() =>
  tidy.part && tidy.shown && !tidy.isCompared
    ? { part: tidy.part, line: tidy.shown.line, treatments: tidy.treatments }
    : null,
);

const [GRID, NOTES, OVER] = [0, 1, 2];
const canvas = useCanvas(host, [
  (c) => {
    drawRollGrid(c, frame.value, openSong.maps, props.grid, clientNotes.marks);
    drawPencil(c, frame.value, props.beneath);
    drawKeys(c, frame.value);
  },
  (c) => {
    drawRollNotes(c, frame.value, notes.value, ink.value, dragged.value?.ids ?? null);
    drawSilent(c, frame.value, silent.value);
    if (!playedIsShown.value) drawHandMarks(c, frame.value, notes.value);
    drawDoubts(c, frame.value, notes.value, props.doubtful);
    drawFigures(c, frame.value, figures.value, notes.value);
    for (const lane of props.lanes) drawLane(c, frame.value, lane, controls.value, bar.value);
  },
  (c) => {
    const how = {
      cursor: tidy.cursor,
      marked: props.marked,
      chosen: tidy.chosen,
      dragged: dragged.value,
      ink: ink.value,
    };
    drawChosen(c, frame.value, silent.value.length ? tidy.all : notes.value, how);
    if (drawing.value) {
      const { lane, points } = drawing.value;
      c.globalAlpha = 0.75;
      drawDrawing(c, frame.value, lane, points);
      c.globalAlpha = 1;
    }
    if (rubber.value) drawRubber(c, rubber.value, rubberLine.value);
  },
]);
watch([canvas, width, height], () => canvas.value?.resize(frame.value.width, frame.value.height));
watch([canvas, frame, () => props.beneath, () => props.grid, () => clientNotes.marks], () =>
  canvas.value?.redraw(GRID),
);
watch([canvas, frame, line, silent, ink, bar, () => dragged.value?.ids, () => props.doubtful, figures], () =>
  canvas.value?.redraw(NOTES),
);
watch([canvas, frame, line, dragged, rubber, drawing, () => props.marked, () => tidy.chosen, () => tidy.cursor], () =>
  canvas.value?.redraw(OVER),
);

/** The view turns a page where the playhead leaves it. */
let last = -1;
useFrames(
  () => roll.moves,
  () => {
    if (!head.value) return;
    const tick = roll.tickNow();
    if (tick !== last && view.follows) view.turnTo(tick);
    last = tick;
    const x = rollX(frame.value, tick);
    const inside = x >= LEFT && x <= frame.value.width;
    head.value.style.transform = `translateX(${inside ? Math.round(x) - 1 : -10}px)`;
  },
);

const described = computed(() => {
  const { from, to } = view.range;
  const within = notes.value.filter((n) => n.start >= from && n.start < to);
  const bars = rangeWords({ from: Math.round(from), to: Math.round(to) }, openSong.maps.meter);
  const moved = within.filter((n) => n.start !== n.played.start).length;
  const facts = `${many(within.length, 'note')}, ${moved} moved`;
  return (
    `Piano roll of ${reading.shown?.name ?? 'no part'}, ${bars}: ${facts}. Left and right walk the notes, ` +
    'up and down the chord; with Shift they select, with Control they move what is selected. Square brackets change ' +
    'the length, minus and plus the velocity.'
  );
});

/** Wheel delta that zooms by a factor of two. */
const WHEEL = 400;
function wheel(event: WheelEvent): void {
  const box = host.value!.getBoundingClientRect();
  const [x, y] = [event.clientX - box.left, event.clientY - box.top];
  const by = event.deltaY * (event.deltaMode === 1 ? 16 : 1);
  // Browsers report a pinch on a trackpad as a wheel with Ctrl.
  if (event.ctrlKey || event.metaKey) view.zoom(2 ** (by / WHEEL), tickOfX(frame.value, x));
  else if (event.altKey) view.zoomKeys(2 ** (by / WHEEL), frame.value.keys, keyOfY(frame.value, y));
  else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
    const along = (event.deltaX || by) / (frame.value.width - LEFT);
    view.scroll(along * (view.range.to - view.range.from));
  } else if (Math.abs(by) > 2) view.scrollKeys(-Math.sign(by) * 2, frame.value.keys);
  view.follows = false;
}
</script>

<template>
  <div
    ref="card"
    class="roll sheet drawn-sheet"
    role="application"
    tabindex="0"
    :aria-label="described"
    @keydown="keys.down"
    @wheel.prevent="wheel"
  >
    <div
      ref="host"
      class="host"
      @pointerdown="pointer.down"
      @pointermove="pointer.move"
      @pointerup="pointer.up"
      @pointercancel="pointer.cancel"
      @dblclick="pointer.double"
    />
    <i ref="head" class="head" :style="{ top: `${TOP - 6}px`, bottom: `${frame.height - noteBottom(frame)}px` }" />
    <div v-if="said" class="said figures" :style="{ transform: `translate(${said.x}px, ${said.y}px)` }">
      {{ said.text }}
    </div>
    <div v-if="notes.length === 0 && silent.length === 0" class="empty quiet">
      {{
        reading.shown
          ? `${reading.shown.name} is not played yet. Record it on Play, then tidy it here.`
          : reading.noPart
      }}
    </div>
    <p class="unseen" role="status">{{ spoken }}</p>
  </div>
</template>

<style scoped>
.roll {
  position: relative;
  overflow: hidden;
  touch-action: none;
}
.host {
  position: absolute;
  inset: 0;
}
.head {
  position: absolute;
  left: 0;
  width: 2px;
  background: var(--copper);
  pointer-events: none;
  will-change: transform;
}
.said {
  position: absolute;
  left: 0;
  top: 0;
  will-change: transform;
  padding: 2px 8px;
  border: 1px solid var(--rule);
  border-radius: 6px;
  background: var(--sheet);
  font-size: 12px;
  pointer-events: none;
  white-space: pre;
}
.empty {
  position: absolute;
  left: 76px;
  top: 50px;
}
</style>
