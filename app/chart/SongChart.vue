<script setup lang="ts">
import Konva from 'konva';
import { computed, ref, shallowRef, watch } from 'vue';
import { barAt, barStart } from '~~/core/time/meter';
import type { Note } from '~~/core/performance/notes';
import { rangeWords } from '~~/core/time/words';
import { listenersOf } from '~~/core/recording/ears';
import { modeOf } from '~~/core/recording/outcome';
import { leadInFrom, leadInStart, loopRange } from '~~/core/recording/plan';
import { recordedRange, spanAfter } from '~~/core/recording/settings';
import { useRange } from '~/transport/useRange';
import { sectionsOf } from '~~/core/document/maps';
import type { TickRange } from '~~/core/time/units';
import { drawn, useKonva } from '~/drawing/useKonva';
import { useFrames } from '~/drawing/useFrames';
import { useSize } from '~/drawing/useSize';
import { drawBrackets, drawGrid, drawNotes, drawTint, drawWaves, keyRangeOf, type KeyRange } from './chartDrawing';
import { edgeAtPoint, layoutChart, nameAtPoint, placeOf, rowsInSight, tickAtPoint, type ChartRow } from './chartLayout';
import { PART_INKS, TOKENS } from '~/drawing/inks';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useWriting } from '~/transport/writing';
import { useBackings } from '~/backings/backings';
import { useSong } from '~/song/song';

const song = useSong();
const session = useSession();
const underWay = useWriting();
const roll = useRoll();
const backings = useBackings();

/** What is not in the line. */
const PENCIL = '#B9B5A8';
const card = ref<HTMLElement | null>(null);
const paper = ref<HTMLElement | null>(null);
const host = ref<HTMLDivElement | null>(null);
const { width, height } = useSize(card);

const layout = computed(() =>
  layoutChart(
    sectionsOf(song.document!, song.maps!.meter),
    song.maps!.meter,
    Math.max(320, width.value),
    Math.max(200, height.value),
  ),
);
const part = computed(() => session.shown);
const ink = computed(() => PART_INKS[part.value?.ink ?? 'sea']);
const line = computed(() => {
  const p = part.value;
  if (!p) return [];
  return (roll.preview?.part === p.id ? roll.preview.line : song.lines.get(p.id))?.notes ?? [];
});
const { snapped, setRange, setEdge } = useRange();
/** What is being dragged over, or an edge on its way. */
const drag = ref<TickRange | null>(null);
const brief = computed(() => song.document!.brief);
/** What is chosen: the brackets. */
const range = computed((): TickRange | null => {
  if (drag.value) return drag.value;
  const { range: chosen, punchIn, punchOut, loop } = brief.value;
  return chosen && (punchIn || punchOut || loop) ? chosen : null;
});
const edges = computed(() =>
  drag.value ? { from: true, to: true } : { from: brief.value.punchIn, to: brief.value.punchOut },
);
const isListening = computed(() => listenersOf(song.document!).some((l) => l.part.id === part.value?.id));
/** What the next pass would record over the part that is shown; nothing when it would be from a playhead that moves. */
const planned = computed((): TickRange | null => {
  const b = brief.value;
  if (!isListening.value || !range.value) return null;
  return b.loop
    ? loopRange(b, song.maps!.end)
    : recordedRange(
        drag.value ? { range: drag.value, punchIn: true, punchOut: true } : b,
        roll.playhead,
        song.maps!.end,
      );
});
/** Whether what is there gives way: red is for that alone. */
const writesOver = computed(() => {
  const b = brief.value;
  return b.ride === null && modeOf(b.loop ? { laps: b.laps } : {}, b.mode) !== 'merge';
});
/** Only where something is played. */
const writesPartly = computed(() =>
  brief.value.loop
    ? brief.value.laps === 'play to overwrite'
    : brief.value.mode === 'replace while I play' || brief.value.mode === 'replace from my first note',
);
const around = computed((): TickRange[] => {
  if (!planned.value) return [];
  const { meter, end } = song.maps!;
  const out = brief.value.loop
    ? planned.value.to
    : Math.min(end, spanAfter(meter, planned.value.to, brief.value.leadOut));
  return [
    { from: leadInStart(song.document!, meter, planned.value.from), to: planned.value.from },
    { from: planned.value.to, to: out },
  ].filter((r) => r.to > r.from);
});
const live = computed(() => (underWay.live && underWay.live.part === part.value?.id ? underWay.live.notes : []));
/** What the pass under way replaces on the chart: its own notes are drawn in place of the line's. */
const writing = computed((): TickRange | null => {
  const { plan } = session;
  const records = session.phase === 'recording' || session.phase === 'lead-out';
  if (!plan || !records || !plan.layers.some((l) => l.partId === part.value?.id)) return null;
  return writesOver.value && !writesPartly.value ? plan.range : null;
});
/** What a change has moved or taken away, and what it has brought, for a while. */
const before = shallowRef<readonly Note[]>([]);
const fresh = shallowRef<readonly Note[]>([]);
const SHOWN_FOR_MS = 6000;
let fading: ReturnType<typeof setTimeout> | undefined;
const placeOfNote = (n: Note): string => `${n.id} ${n.start} ${n.end}`;
watch(
  [() => part.value?.id, () => part.value?.placement, () => part.value?.takes, () => part.value?.comp, line],
  ([id, placement, takes, comp, now], [oldId, oldPlacement, oldTakes, oldComp, old]) => {
    if (id !== oldId) before.value = fresh.value = [];
    const moved = placement?.policy !== oldPlacement?.policy || placement?.nudge !== oldPlacement?.nudge;
    if (id !== oldId || !(moved || takes !== oldTakes || comp !== oldComp) || now === old) return;
    const [had, has] = [new Set(old.map(placeOfNote)), new Set(now.map(placeOfNote))];
    before.value = old.filter((n) => !has.has(placeOfNote(n)));
    fresh.value = moved ? [] : now.filter((n) => !had.has(placeOfNote(n)));
    clearTimeout(fading);
    fading = setTimeout(() => {
      before.value = fresh.value = [];
    }, SHOWN_FOR_MS);
  },
);
/** The same as long as it spans the same keys: the chart is painted again when it changes. */
const keys = computed<KeyRange>((known) => {
  const now = keyRangeOf([...line.value, ...live.value]);
  return known && known.low === now.low && known.high === now.high ? known : now;
});

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
  base!.add(
    drawn((c) =>
      scrolledBy(c, () => {
        drawGrid(c, inSight.value, song.maps!);
        drawWaves(c, inSight.value, song.maps!, song.document!.backings, backings.waves);
        drawNotes(c, inSight.value, before.value, keys.value, PENCIL);
        drawNotes(c, inSight.value, fresh.value, keys.value, TOKENS.copperSoft, 9);
        const hidden = writing.value;
        drawNotes(
          c,
          inSight.value,
          hidden ? line.value.filter((n) => n.start < hidden.from || n.start >= hidden.to) : line.value,
          keys.value,
          ink.value,
        );
      }),
    ),
  );
  marks!.add(
    drawn((c) =>
      scrolledBy(c, () => {
        for (const lead of around.value) drawTint(c, inSight.value, lead, TOKENS.rule, 0.35);
        if (planned.value && writesOver.value)
          drawTint(c, inSight.value, planned.value, TOKENS.liveSoft, writesPartly.value ? 0.3 : 0.62);
        if (range.value)
          drawBrackets(
            c,
            inSight.value,
            range.value,
            writesOver.value && isListening.value ? TOKENS.live : TOKENS.ink,
            edges.value,
          );
        drawNotes(c, inSight.value, live.value, keys.value, ink.value);
      }),
    ),
  );
});

// Until the card has its size there is nothing to draw on; a new size draws everything anyway.
const sized = computed(
  () => width.value > 0 && { width: Math.max(320, width.value), height: Math.max(200, height.value) },
);
const draw = (index: number) => {
  if (sized.value) canvas.value?.layers[index]!.batchDraw();
};
watch([canvas, inSight, sized], () => {
  const stage = canvas.value?.stage;
  if (!stage || !sized.value) return;
  // A stage that changes its size draws itself.
  if (stage.width() !== sized.value.width || stage.height() !== sized.value.height) stage.size(sized.value);
  else [0, 1].forEach(draw);
});
watch([line, before, fresh, ink, keys, writing, () => song.document!.backings, () => backings.waves], () => draw(0));
watch([range, planned, around, edges, writesOver, writesPartly, live, ink, keys], () => draw(1));
/** The playhead is a small picture of its own that is moved: the chart under it is not painted again. */
const headHost = ref<HTMLDivElement | null>(null);
const HEAD_WIDTH = 14;
const HEAD_ABOVE = 10;
let headLine: Konva.Rect | undefined;
const head = useKonva(headHost, 1, ({ stage, layers: [layer] }) => {
  headLine = new Konva.Rect({ x: HEAD_WIDTH / 2 - 1, y: HEAD_ABOVE, width: 2, fill: TOKENS.copper });
  layer!.add(
    new Konva.RegularPolygon({ sides: 3, radius: 6, rotation: 180, fill: TOKENS.copper, x: HEAD_WIDTH / 2, y: 6 }),
    headLine,
  );
  stage.size({ width: HEAD_WIDTH, height: 10 });
});

let shownX = -1;
let shownRow: ChartRow | undefined;
useFrames(() => {
  const place = placeOf(layout.value, roll.tickNow());
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

const pointOf = (event: PointerEvent): [number, number] => {
  const box = paper.value!.getBoundingClientRect();
  return [event.clientX - box.left, event.clientY - box.top];
};

let pressed: { tick: number; x: number; y: number; edge: 'from' | 'to' | undefined } | null = null;
function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  const [x, y] = pointOf(event);
  const named = nameAtPoint(layout.value, x, y);
  if (named) {
    const section = sectionsOf(song.document!, song.maps!.meter).find((s) => s.firstBar === named.firstBar);
    if (section) setRange(section);
    return;
  }
  const tick = tickAtPoint(layout.value, x, y);
  if (tick === undefined) return;
  const { meter } = song.maps!;
  if (event.altKey) {
    const from = planned.value?.from ?? recordedRange(brief.value, roll.playhead, song.maps!.end).from;
    const at = barStart(meter, barAt(meter, tick));
    song.run({ type: 'set brief', brief: { leadIn: leadInFrom(meter, at, from), leadInOn: true } });
    return;
  }
  if (event.shiftKey) {
    const anchor = brief.value.range?.from ?? roll.playhead;
    setRange(stretch(anchor, tick));
    return;
  }
  const edge = range.value && !session.recording ? edgeAtPoint(layout.value, range.value, x, y) : undefined;
  pressed = { tick, x: event.clientX, y: event.clientY, edge };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}
/** From one place to another: whole bars where bars are what is set to. */
function stretch(a: number, b: number): TickRange {
  const { meter } = song.maps!;
  const [from, to] = [Math.min(a, b), Math.max(a, b)];
  if (brief.value.snap === 'bar')
    return { from: barStart(meter, barAt(meter, from)), to: barStart(meter, barAt(meter, to) + 1) };
  return { from: snapped(from), to: snapped(to) };
}
function move(event: PointerEvent): void {
  if (!pressed) return;
  if (!drag.value && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 5) return;
  const tick = tickAtPoint(layout.value, ...pointOf(event), true) ?? pressed.tick;
  const now = brief.value.range;
  if (pressed.edge && now)
    drag.value =
      pressed.edge === 'from'
        ? { from: Math.min(snapped(tick), now.to - 1), to: now.to }
        : { from: now.from, to: Math.max(snapped(tick), now.from + 1) };
  else drag.value = stretch(pressed.tick, tick);
}
function up(): void {
  const done = drag.value;
  if (done && pressed?.edge) setEdge(pressed.edge, pressed.edge === 'from' ? done.from : done.to);
  else if (done) setRange(done);
  else if (pressed) session.seek(barStart(song.maps!.meter, barAt(song.maps!.meter, pressed.tick)));
  pressed = null;
  drag.value = null;
}

function select(a: number, b: number): void {
  const { meter } = song.maps!;
  setRange({ from: barStart(meter, Math.min(a, b)), to: barStart(meter, Math.max(a, b) + 1) });
}

/** With the chart in focus, Shift and the arrows select bars, Escape lets go. */
function key(event: KeyboardEvent): void {
  const { meter } = song.maps!;
  const now = song.document!.brief.range;
  if (event.key === 'Escape') song.run({ type: 'set brief', brief: { range: null } });
  else if (event.shiftKey && (event.key === 'ArrowRight' || event.key === 'ArrowLeft')) {
    const first = now ? barAt(meter, now.from) : barAt(meter, roll.playhead);
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
    ref="card"
    class="chart sheet"
    role="application"
    tabindex="0"
    :aria-label="described"
    @scroll="scrolled = card!.scrollTop"
    @keydown="key"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
  >
    <div ref="paper" class="paper" :style="{ height: `${layout.height}px` }">
      <div ref="host" class="window" />
      <div ref="headHost" class="head" />
    </div>
    <div v-if="line.length === 0 && live.length === 0" class="empty">
      {{ part ? `${part.name} is not played yet` : 'This song has no parts yet' }}
    </div>
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  overflow: hidden auto;
  min-height: 0;
  height: 100%;
  user-select: none;
}
.paper {
  position: relative;
  min-height: 100%;
}
.window {
  position: sticky;
  top: 0;
  height: 0;
}
.head {
  position: absolute;
  top: 0;
  left: 0;
  pointer-events: none;
  will-change: transform;
}
.empty {
  position: absolute;
  top: 40px;
  left: 108px;
  color: var(--ink-2);
  pointer-events: none;
}
</style>
