<script setup lang="ts">
import { useFrames } from '~/drawing/useFrames';
import { computed, ref, shallowRef } from 'vue';
import { meterAt } from '~~/core/time/meter';
import { bpmAt, tempoMap, type TempoChange } from '~~/core/time/tempo';
import { sectionsOf } from '~~/core/document/maps';
import { useOpenSong } from '~/song/openSong';
import { useScrolledCanvas } from '~/drawing/useScrolledCanvas';
import { drawGrid, drawWaves } from '~/chart/chartDrawing';
import { barAtPoint, layoutChart, placeOf, rowsInSight } from '~/chart/chartLayout';
import { bpmAtY, bpmRangeOf, drawTempo, handleAt } from './tempoDrawing';
import { useBackings } from '~/backings/backings';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useSetup } from './setup';

/** Chart of the tempo with a handle for each change, dragged up and down and along the beats. */
const openSong = useOpenSong();
const session = useSession();
const roll = useRoll();
const setup = useSetup();
const backings = useBackings();
const card = ref<HTMLElement | null>(null);
const paper = ref<HTMLElement | null>(null);
const host = ref<HTMLDivElement | null>(null);
const head = ref<HTMLElement | null>(null);
const { width, height, scrolled, follow } = useScrolledCanvas(card, host);
const layout = computed(() =>
  layoutChart(
    sectionsOf(openSong.document, openSong.maps.meter),
    openSong.maps.meter,
    Math.max(320, width.value),
    Math.max(200, height.value),
  ),
);
const inSight = computed(() => rowsInSight(layout.value, scrolled.value, height.value));

/** Changes of tempo while one is being dragged. */
const dragged = shallowRef<{ readonly changes: readonly TempoChange[]; readonly index: number } | null>(null);
const changes = computed(() => dragged.value?.changes ?? openSong.document.tempo);
/** The scale stays the same during a drag. */
const range = computed(() => bpmRangeOf(openSong.document.tempo));
const selected = computed(() => (dragged.value ? dragged.value.changes[dragged.value.index]!.tick : null));

follow([inSight, changes, () => backings.waves, () => openSong.document.backings], (c) => {
  drawGrid(c, inSight.value, openSong.maps);
  drawWaves(c, inSight.value, openSong.maps, openSong.document.backings, backings.waves);
  drawTempo(c, inSight.value, tempoMap(changes.value), range.value, selected.value);
});

let shown = '';
useFrames(
  () => roll.moves,
  () => {
    const place = placeOf(layout.value, roll.tickNow());
    if (!head.value || !place) return;
    const to = `translate(${Math.round(place.x)}px, ${place.row.y}px)`;
    if (to === shown) return;
    head.value.style.transform = shown = to;
    head.value.style.height = `${place.row.height}px`;
  },
);

const point = (event: MouseEvent) => {
  const box = paper.value!.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top };
};
/** The beat at a point: tempos change on beats. */
function beatAt(x: number, y: number): number | undefined {
  const bar = barAtPoint(layout.value, x, y, true);
  const row = layout.value.rows.find((r) => bar !== undefined && r.firstBar <= bar && bar <= r.lastBar);
  if (bar === undefined || !row) return undefined;
  const start = layout.value.starts[bar - 1]!;
  const share = Math.max(0, Math.min(1, (x - layout.value.left) / layout.value.cell - (bar - row.firstBar)));
  const { beats, ticksPerBeat } = meterAt(openSong.maps.meter, start);
  return start + Math.min(beats - 1, Math.round(share * beats)) * ticksPerBeat;
}

const REACH = 9;
const round = (bpm: number, fine: boolean) =>
  Math.max(5, Math.min(1000, fine ? Math.round(bpm * 10) / 10 : Math.round(bpm * 2) / 2));
let from: TempoChange | undefined;
function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  const { x, y } = point(event);
  const index = openSong.document.tempo.findIndex((c) => {
    const at = handleAt(layout.value, c, range.value);
    return at && Math.hypot(at.x - x, at.y - y) <= REACH;
  });
  if (index < 0) {
    const tick = beatAt(x, y);
    if (tick !== undefined) session.seek(tick);
    return;
  }
  from = openSong.document.tempo[index];
  dragged.value = { changes: openSong.document.tempo, index };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}
function move(event: PointerEvent): void {
  const now = dragged.value;
  if (!now || !from) return;
  const { x, y } = point(event);
  const bar = barAtPoint(layout.value, x, y, true);
  const row = layout.value.rows.find((r) => bar !== undefined && r.firstBar <= bar && bar <= r.lastBar);
  if (!row) return;
  const first = openSong.document.tempo.every((c) => c.tick >= from!.tick);
  const tick = first ? from.tick : (beatAt(x, y) ?? from.tick);
  const free = tick === from.tick || !openSong.document.tempo.some((c, i) => i !== now.index && c.tick === tick);
  const change = { ...from, tick: free ? tick : from.tick, bpm: round(bpmAtY(row, y, range.value), event.shiftKey) };
  dragged.value = { ...now, changes: openSong.document.tempo.map((c, i) => (i === now.index ? change : c)) };
}
function up(): void {
  const made = dragged.value?.changes;
  dragged.value = null;
  from = undefined;
  if (made && made !== openSong.document.tempo) setup.retime({ tempo: [...made].sort((a, b) => a.tick - b.tick) });
}
/** Adds a change on a beat by a double click, with the tempo there. */
function add(event: MouseEvent): void {
  const { x, y } = point(event);
  const tick = beatAt(x, y);
  if (tick === undefined || openSong.document.tempo.some((c) => c.tick === tick)) return;
  const bpm = round(bpmAt(openSong.maps.tempo, tick), true);
  setup.retime({ tempo: [...openSong.document.tempo, { tick, bpm }].sort((a, b) => a.tick - b.tick) });
}
const described = computed(
  () =>
    `Tempo over the chart: ${openSong.document.tempo.length} tempos. Drag a handle up or down for the ` +
    'tempo, sideways for its place; double-click puts a new one. The table beside it does the same by ' +
    'keys.',
);
</script>

<template>
  <div
    ref="card"
    class="tempo sheet drawn-sheet"
    role="application"
    tabindex="0"
    :aria-label="described"
    @scroll="scrolled = card!.scrollTop"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
    @dblclick="add"
  >
    <div ref="paper" class="paper" :style="{ height: `${layout.height}px` }">
      <div ref="host" class="window" />
      <i ref="head" class="head" />
    </div>
  </div>
</template>

<style scoped>
.head {
  position: absolute;
  left: 0;
  top: 0;
  width: 2px;
  background: var(--copper);
  pointer-events: none;
  opacity: 0.6;
}
</style>
