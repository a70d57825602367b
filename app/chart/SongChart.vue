<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { useElementSize } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { sectionsOf } from '~~/core/document/maps';
import { previewOf, replacedOnChart, type PassPreview } from '~~/core/recording/passPreview';
import { heardIn } from '~~/core/picking/sentence';
import type { TickRange } from '~~/core/time/units';
import type { Span } from '~~/core/vocabulary/modes';
import { rangeWords } from '~~/core/time/words';
import { useBackings } from '~/backings/backings';
import { useClientNotes } from '~/client/clientNotes';
import { TOKENS } from '~/drawing/inks';
import { onPaper, useCanvas } from '~/drawing/useCanvas';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useBriefSentence } from '~/transport/briefSentence';
import { usePass } from '~/transport/pass';
import { useRoll } from '~/transport/roll';
import { useDoubts } from '~/timing/useDoubts';
import { useOpenLayers } from '~/transport/openLayers';
import {
  drawBrackets,
  drawClientNotes,
  drawGrid,
  drawDoubts,
  drawNotes,
  drawTail,
  drawTakeNumbers,
  drawTint,
  drawWaves,
  drawWritten,
  keyRangeOf,
  type KeyRange,
  type TakeRange,
} from './chartDrawing';
import { layoutChart, rowsInSight, type ChartRow } from './chartLayout';
import { useChartPointer } from './useChartPointer';
import { usePlayhead } from './usePlayhead';
import { useRecentChange } from './useRecentChange';

const openSong = useOpenSong();
const reading = useReading();
const pass = usePass();
const underWay = useOpenLayers();
const roll = useRoll();
const backings = useBackings();
const sentence = useBriefSentence();
const clientNotes = useClientNotes();

/** Thickness of a note that the last change brought. */
const FRESH = 9;
const NARROWEST = 320;
const LOWEST = 200;
const card = ref<HTMLElement | null>(null);
const paper = ref<HTMLElement | null>(null);
const host = ref<HTMLDivElement | null>(null);
const head = ref<SVGElement | null>(null);
const { width, height } = useElementSize(card);
const size = computed(() => ({
  width: Math.max(NARROWEST, Math.floor(width.value)),
  height: Math.max(LOWEST, Math.floor(height.value)),
}));

const layout = computed(() => {
  const { meter } = openSong.maps;
  return layoutChart(sectionsOf(openSong.document, meter), meter, size.value.width, size.value.height);
});
const part = computed(() => reading.shown);
const ink = computed(() => TOKENS[part.value?.ink ?? 'sea']);
const line = computed(() => {
  const id = part.value?.id;
  if (id === undefined) return [];
  return (roll.preview?.part === id ? roll.preview.line : reading.lines.get(id))?.notes ?? [];
});
const { gone, come } = useRecentChange(part, line);
/** Notes that are listed in Your ear. */
const doubts = useDoubts(() => {
  const p = part.value;
  const read = p && reading.lines.get(p.id);
  return read ? { part: p, line: read, treatments: p.treatments } : null;
});
const doubtful = computed(() => {
  const ids = new Set(doubts.value.flatMap((d) => d.notes.map((n) => n.id)));
  return ids.size > 0 ? standing.value.filter((n) => ids.has(n.id)) : [];
});

const previewWith = (dragging: TickRange | null, leadIn: Span | null = null): PassPreview => {
  const opened = openSong.document;
  const asDragged = leadIn ? { ...opened, brief: { ...opened.brief, leadIn, leadInOn: true } } : opened;
  return previewOf(asDragged, openSong.maps, part.value?.id, roll.playhead, dragging);
};
const pointer = useChartPointer(paper, layout, previewWith);
const { dragged, draggedLead, tailFrom, isNearTail, down, move, up, leave, key } = pointer;
const preview = computed(() => previewWith(dragged.value ?? sentence.typed, draggedLead.value));
/** Lead-in as the tail of the in-bracket, from its start to the in; of length zero without a lead-in. */
const tail = computed(() => tailFrom(preview.value));
const live = computed(() => (underWay.live && underWay.live.part === part.value?.id ? underWay.live.notes : []));
/** Range in which the running pass's notes are drawn instead of the line's. */
const replaced = computed(() => replacedOnChart(pass.plan, pass.phase, part.value?.id, preview.value));
const standing = computed(() => {
  const hidden = replaced.value;
  return hidden ? line.value.filter((n) => n.start < hidden.from || n.start >= hidden.to) : line.value;
});
/** Keys that the notes span. The object changes only when they do, as a change paints the chart again. */
const keys = computed<KeyRange>((known) => {
  const now = keyRangeOf([...line.value, ...live.value]);
  return known && known.low === now.low && known.high === now.high ? known : now;
});

/** Takes that are heard, each with its range; empty while it is one take alone. */
const picked = computed((): readonly TakeRange[] => {
  const numbers = new Map(part.value?.takes.map((t) => [t.id, t.number]));
  const heard = part.value ? heardIn(part.value, { from: 0, to: openSong.maps.end }) : [];
  const ranges = heard.flatMap((h) => (h.takeId ? [{ ...h, number: numbers.get(h.takeId) ?? 0 }] : []));
  return new Set(ranges.map((s) => s.takeId)).size > 1 ? ranges : [];
});

/** Only rows in view are drawn, so that the canvas is no larger than the card. */
const scrolled = ref(0);
const inSight = computed(() => rowsInSight(layout.value, scrolled.value, height.value));

function drawPaper(c: CanvasRenderingContext2D): void {
  drawGrid(c, inSight.value, openSong.maps);
  drawWaves(c, inSight.value, openSong.maps, openSong.document.backings, backings.waves);
  drawTakeNumbers(c, inSight.value, picked.value, openSong.document.written.length > 0);
  drawNotes(c, inSight.value, gone.value, keys.value, TOKENS.pencil);
  drawNotes(c, inSight.value, come.value, keys.value, TOKENS.copperSoft, FRESH);
  drawNotes(c, inSight.value, standing.value, keys.value, ink.value);
  drawDoubts(c, inSight.value, doubtful.value, keys.value);
  drawWritten(c, inSight.value, reading.written, openSong.maps);
}

/** Red marks what the pass will replace, and nothing else. */
function drawMarks(c: CanvasRenderingContext2D): void {
  const { around, planned, over, range, listens, edges } = preview.value;
  for (const lead of around) drawTint(c, inSight.value, lead, TOKENS.rule, 0.35);
  if (planned && over !== 'nothing') {
    drawTint(c, inSight.value, planned, TOKENS.liveSoft, over === 'all' ? 0.62 : 0.3);
  }
  const bracketInk = over !== 'nothing' && listens ? TOKENS.live : TOKENS.ink;
  if (range) drawBrackets(c, inSight.value, range, bracketInk, edges);
  if (tail.value) drawTail(c, inSight.value, tail.value, TOKENS.ink, isNearTail.value);
  drawNotes(c, inSight.value, live.value, keys.value, ink.value);
  drawClientNotes(c, inSight.value, clientNotes.marks);
}

const canvas = useCanvas(host, [onPaper(scrolled, drawPaper), onPaper(scrolled, drawMarks)]);
watch([canvas, inSight, size, () => width.value > 0], () => {
  // Before its layout the card has no size to draw in.
  if (!canvas.value || width.value === 0) return;
  if (!canvas.value.resize(size.value.width, size.value.height)) canvas.value.redraw();
});
const backingsDrawn = [() => openSong.document.backings, () => backings.waves, () => reading.written];
watch([line, picked, gone, come, ink, keys, replaced, doubtful, ...backingsDrawn], () => canvas.value?.redraw(0));
watch([preview, tail, isNearTail, live, ink, keys, () => clientNotes.marks], () => canvas.value?.redraw(1));

/** Scrolls to the row that plays. */
function follow(row: ChartRow): void {
  const view = card.value;
  if (!view || !pass.rolling) return;
  const below = row.y + row.height > view.scrollTop + view.clientHeight;
  if (below || row.y < view.scrollTop) view.scrollTop = row.y - 40;
}
usePlayhead(head, layout, follow);

const described = computed(() => {
  const { title, bars } = openSong.document;
  const { range } = preview.value;
  const selected = range ? `, ${rangeWords(range, openSong.maps.meter)} selected` : '';
  const notes = `${many(line.value.length, 'note')} of ${part.value?.name ?? 'no part'}`;
  const keyWords = 'Arrows move the playhead, Shift and arrows select bars, Escape deselects.';
  return `Chart of ${title}: ${many(bars, 'bar')}, ${notes}${selected}. ${keyWords}`;
});
</script>

<template>
  <div
    ref="card"
    class="chart sheet drawn-sheet"
    :class="{ tail: isNearTail }"
    role="application"
    tabindex="0"
    :aria-label="described"
    @scroll="scrolled = card!.scrollTop"
    @keydown="key"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
    @pointerleave="leave"
  >
    <div ref="paper" class="paper" :style="{ height: `${layout.height}px` }">
      <div ref="host" class="window" />
      <svg ref="head" class="head" width="14" aria-hidden="true">
        <path d="M1 2 H13 L7 12 Z" />
        <rect x="6" y="10" width="2" height="100%" />
      </svg>
    </div>
    <div v-if="line.length === 0 && live.length === 0" class="empty">
      {{ part ? `${part.name} is not played yet` : reading.noPart }}
    </div>
  </div>
</template>

<style scoped>
.head {
  position: absolute;
  top: 0;
  left: 0;
  pointer-events: none;
  fill: var(--copper);
  will-change: transform;
}
.chart.tail {
  cursor: ew-resize;
}
.empty {
  position: absolute;
  top: 40px;
  left: 108px;
  color: var(--ink-2);
  pointer-events: none;
}
</style>
