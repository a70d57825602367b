<script setup lang="ts">
import Konva from 'konva';
import { computed, ref, watch } from 'vue';
import { barAt, barStart } from '~~/core/time/meter';
import { rangeWords } from '~~/core/recording/brief';
import { sectionsOf } from '~~/core/song/song';
import type { TickRange } from '~~/core/time/units';
import { drawn, useKonva } from '~/composables/useKonva';
import { useFrames } from '~/composables/useFrames';
import { useSize } from '~/composables/useSize';
import { drawGrid, drawNotes, drawRange, drawWaves, keyRangeOf } from '~/utils/chartDrawing';
import { barAtPoint, layoutChart, placeOf, rowsInSight, type ChartRow } from '~/utils/chartLayout';
import { FONTS, PART_INKS, TOKENS } from '~/utils/inks';
import { useSession } from '~/stores/session';
import { useSong } from '~/stores/song';

const song = useSong();
const session = useSession();

const card = ref<HTMLElement | null>(null);
const paper = ref<HTMLElement | null>(null);
const host = ref<HTMLDivElement | null>(null);
const { width, height } = useSize(card);

const layout = computed(() => layoutChart(sectionsOf(song.document!, song.maps!.meter), song.maps!.meter, Math.max(320, width.value), Math.max(200, height.value)));
const part = computed(() => session.shown);
const ink = computed(() => PART_INKS[part.value?.ink ?? 'sea']);
const line = computed(() => {
  const p = part.value;
  if (!p) return [];
  return (session.preview?.part === p.id ? session.preview.line : song.lines.get(p.id))?.notes ?? [];
});
const drag = ref<{ from: number; to: number } | null>(null);
const range = computed((): TickRange | null => {
  const { meter } = song.maps!;
  if (drag.value) {
    const { from, to } = drag.value;
    return { from: barStart(meter, Math.min(from, to)), to: barStart(meter, Math.max(from, to) + 1) };
  }
  return song.document!.brief.range;
});
const live = computed(() => (session.live && session.live.part === part.value?.id ? session.live.notes : []));
/** What the pass under way replaces on the chart: its own notes are drawn in place of the line's. */
const writing = computed((): TickRange | null => {
  const s = session.state;
  return 'plan' in s && s.plan.layers.some((l) => l.partId === part.value?.id) ? s.plan.range : null;
});
const keys = computed(() => keyRangeOf([...line.value, ...live.value]));

/** Only the rows in sight are drawn: the canvas is as large as the card, however long the song. */
const scrolled = ref(0);
const inSight = computed(() => rowsInSight(layout.value, scrolled.value, height.value));
const scrolledBy = (c: CanvasRenderingContext2D, draw: () => void) => {
  c.save();
  c.translate(0, -scrolled.value);
  draw();
  c.restore();
};

const canvas = useKonva(host, 2, ({ layers: [base, marks] }) => {
  base!.add(drawn((c) => scrolledBy(c, () => {
    drawGrid(c, inSight.value, song.maps!);
    drawWaves(c, inSight.value, song.maps!, song.document!.backings);
    const hidden = writing.value;
    drawNotes(c, inSight.value, hidden ? line.value.filter((n) => n.start < hidden.from || n.start >= hidden.to) : line.value, keys.value, ink.value);
  })));
  marks!.add(drawn((c) => scrolledBy(c, () => {
    if (range.value) drawRange(c, inSight.value, range.value, TOKENS.liveSoft, TOKENS.live);
    drawNotes(c, inSight.value, live.value, keys.value, ink.value);
  })));
});

// Until the card has its size there is nothing to draw on; a new size draws everything anyway.
const sized = computed(() => width.value > 0 && { width: Math.max(320, width.value), height: Math.max(200, height.value) });
const draw = (index: number) => { if (sized.value) canvas.value?.layers[index]!.batchDraw(); };
watch([canvas, inSight, sized], () => {
  const stage = canvas.value?.stage;
  if (!stage || !sized.value) return;
  // A stage that changes its size draws itself.
  if (stage.width() !== sized.value.width || stage.height() !== sized.value.height) stage.size(sized.value);
  else [0, 1].forEach(draw);
});
watch([line, ink, keys, writing, () => song.document!.backings], () => draw(0));
watch([range, live, ink, keys], () => draw(1));
// The canvas does not wait for fonts, and nothing else on the page may ask for these.
void Promise.all([`italic 600 15px ${FONTS.names}`, `12px ${FONTS.figures}`].map((font) => document.fonts.load(font))).then(() => draw(0));

/** The playhead is a small picture of its own that is moved: the chart under it is not painted again. */
const headHost = ref<HTMLDivElement | null>(null);
const HEAD_WIDTH = 14;
const HEAD_ABOVE = 10;
let headLine: Konva.Rect | undefined;
const head = useKonva(headHost, 1, ({ stage, layers: [layer] }) => {
  headLine = new Konva.Rect({ x: HEAD_WIDTH / 2 - 1, y: HEAD_ABOVE, width: 2, fill: TOKENS.copper });
  layer!.add(new Konva.RegularPolygon({ sides: 3, radius: 6, rotation: 180, fill: TOKENS.copper, x: HEAD_WIDTH / 2, y: 6 }), headLine);
  stage.size({ width: HEAD_WIDTH, height: 10 });
});

let shownX = -1;
let shownRow: ChartRow | undefined;
useFrames(() => {
  const place = placeOf(layout.value, session.tickNow());
  if (!head.value || !place || (Math.abs(place.x - shownX) < 0.25 && place.row === shownRow)) return;
  if (place.row !== shownRow) {
    headLine!.height(place.row.height);
    head.value.stage.size({ width: HEAD_WIDTH, height: place.row.height + HEAD_ABOVE });
    follow(place.row);
  }
  shownX = place.x;
  shownRow = place.row;
  headHost.value!.style.transform = `translate(${Math.round(place.x - HEAD_WIDTH / 2)}px, ${place.row.y - HEAD_ABOVE}px)`;
});

/** Keeps the row that plays in sight. */
function follow(row: ChartRow): void {
  const view = card.value;
  if (!view || !session.rolling) return;
  if (row.y + row.height > view.scrollTop + view.clientHeight || row.y < view.scrollTop) view.scrollTop = row.y - 40;
}

function barOf(event: PointerEvent, near: boolean): number | undefined {
  const box = paper.value!.getBoundingClientRect();
  return barAtPoint(layout.value, event.clientX - box.left, event.clientY - box.top, near);
}

let pressed: { bar: number; x: number; y: number } | null = null;
function down(event: PointerEvent): void {
  const bar = barOf(event, false);
  if (bar === undefined || event.button !== 0) return;
  if (event.shiftKey) {
    const { meter } = song.maps!;
    const now = song.document!.brief.range;
    const anchorBar = now ? barAt(meter, now.from) : barAt(meter, session.playhead);
    select(anchorBar, bar);
    return;
  }
  pressed = { bar, x: event.clientX, y: event.clientY };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}
function move(event: PointerEvent): void {
  if (!pressed) return;
  if (!drag.value && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 5) return;
  drag.value = { from: pressed.bar, to: barOf(event, true) ?? pressed.bar };
}
function up(): void {
  if (drag.value) select(drag.value.from, drag.value.to);
  else if (pressed) session.seek(barStart(song.maps!.meter, pressed.bar));
  pressed = null;
  drag.value = null;
}

function select(a: number, b: number): void {
  const { meter } = song.maps!;
  song.run({ type: 'set brief', brief: { range: { from: barStart(meter, Math.min(a, b)), to: barStart(meter, Math.max(a, b) + 1) } } });
}

/** With the chart in focus, Shift and the arrows select bars, Escape lets go. */
function key(event: KeyboardEvent): void {
  const { meter } = song.maps!;
  const now = song.document!.brief.range;
  if (event.key === 'Escape') song.run({ type: 'set brief', brief: { range: null } });
  else if (event.shiftKey && (event.key === 'ArrowRight' || event.key === 'ArrowLeft')) {
    const first = now ? barAt(meter, now.from) : barAt(meter, session.playhead);
    const last = now ? barAt(meter, now.to - 1) : first - (event.key === 'ArrowRight' ? 1 : 0);
    const next = last + (event.key === 'ArrowRight' ? 1 : -1);
    if (next < first) song.run({ type: 'set brief', brief: { range: null } });
    else select(first, Math.min(song.document!.bars, next));
  } else return;
  event.preventDefault();
  event.stopPropagation();
}

const described = computed(() => {
  const name = part.value?.name ?? 'no part';
  const count = line.value.length;
  const selected = range.value ? `, ${rangeWords(range.value, song.maps!.meter)} selected` : '';
  return `Chart of ${song.document!.title}: ${song.document!.bars} bars, ${count} notes of ${name}${selected}. Arrows move the playhead, Shift and arrows select bars, Escape lets go.`;
});
</script>

<template>
  <div
    ref="card" class="chart sheet" role="application" tabindex="0" :aria-label="described"
    @scroll="scrolled = card!.scrollTop" @keydown="key" @pointerdown="down" @pointermove="move" @pointerup="up" @pointercancel="up"
  >
    <div ref="paper" class="paper" :style="{ height: `${layout.height}px` }">
      <div ref="host" class="window" />
      <div ref="headHost" class="head" />
    </div>
    <div v-if="line.length === 0 && live.length === 0" class="empty">{{ part ? `${part.name} is not played yet` : 'This song has no parts yet' }}</div>
  </div>
</template>

<style scoped>
.chart { position: relative; overflow: hidden auto; min-height: 0; height: 100%; user-select: none; }
.paper { position: relative; min-height: 100%; }
.window { position: sticky; top: 0; height: 0; }
.head { position: absolute; top: 0; left: 0; pointer-events: none; will-change: transform; }
.empty { position: absolute; top: 40px; left: 108px; color: var(--ink-2); pointer-events: none; }
</style>
