<script setup lang="ts">
import { useFrames } from '~/drawing/useFrames';
import { computed, ref, watch } from 'vue';
import { rangeWords } from '~~/core/time/words';
import { barAt } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import { keyRangeOf } from '~/chart/chartDrawing';
import { useClientNotes } from '~/client/clientNotes';
import { TOKENS } from '~/drawing/inks';
import { usePictures } from '~/drawing/usePictures';
import { useScrolledCanvas } from '~/drawing/useScrolledCanvas';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { usePass } from '~/transport/pass';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import {
  drawChosen,
  drawLane,
  drawLine,
  drawRuler,
  LANE_HEIGHT,
  laneAtY,
  laneX,
  laneY,
  LINE_HEIGHT,
  RULER,
  sheetHeight,
  tickOfX,
  type DrawnLane,
  type LanesFrame,
} from './lanesDrawing';
import { usePick } from './pick';
import TakeLabel from './TakeLabel.vue';

/** Lanes: the line that is heard, and below it each take in the range, with bars aligned. */
const pick = usePick();
const reading = useReading();
const openSong = useOpenSong();
const roll = useRoll();
const pass = usePass();
const session = useSession();
const clientNotes = useClientNotes();
const active = defineModel<Ticks | null>('join', { required: true });

const card = ref<HTMLElement | null>(null);
const host = ref<HTMLElement | null>(null);
const head = ref<HTMLElement | null>(null);
const { width, height, scrolled, follow } = useScrolledCanvas(card, host);

const ink = computed(() => TOKENS[pick.part?.ink ?? 'sea']);
const lineNotes = computed(() => {
  const id = pick.part?.id;
  if (!id) return [];
  return (roll.preview?.part === id ? roll.preview.line : reading.lines.get(id))?.notes ?? [];
});
const keys = computed(() => keyRangeOf(pick.lanes.flatMap((take) => reading.readTake(take).notes)));
const frame = computed((): LanesFrame => ({
  width: Math.max(320, width.value),
  view: pick.shownRange,
  keys: keys.value,
}));
const lanes = computed(() =>
  pick.lanes.map((take): DrawnLane => {
    const facts = pick.known?.comparison.bars.get(take.id);
    const slips = new Map<number, number>();
    const varied = new Set<number>();
    for (const bar of pick.bars) {
      const there = facts?.get(bar);
      if (there?.slips.length) slips.set(bar, there.slips.length);
      if (there?.variation) varied.add(bar);
    }
    const picked = pick.part!.comp.filter((p) => p.takeId === take.id);
    return { notes: reading.readTake(take).notes, range: take, picked, slips, varied };
  }),
);
const ranges = computed(() =>
  pick.heard.flatMap(({ from, to, takeId }) => (takeId ? [{ from, to, number: `take ${pick.numberOf(takeId)}` }] : [])),
);

const pictures = usePictures();
watch(
  () => pick.lanes,
  (now) => pictures.keepOnly(new Set(['line', ...now.map((take) => take.id)])),
);
void document.fonts.ready.then(pictures.forget);
const TOP = RULER + LINE_HEIGHT + 4;
const marks = () => clientNotes.marks;
const drawn = [frame, lanes, lineNotes, ink, ranges, () => pick.joinsHere, () => pick.cursor, () => pick.target];
follow([...drawn, active, marks], (c) => {
  const [from, to] = [scrolled.value, scrolled.value + height.value];
  const maps = openSong.maps;
  const size = { width: frame.value.width, height: LANE_HEIGHT };
  if (from < TOP) {
    const line = [lineNotes.value, ink.value, ranges.value, pick.joinsHere, active.value] as const;
    const shows = [frame.value, maps, ...line, marks()];
    pictures.draw(c, 'line', shows, { ...size, height: TOP, y: 0 }, (sheet) => {
      drawRuler(sheet, frame.value, maps, marks());
      drawLine(sheet, frame.value, maps, ...line);
    });
  }
  lanes.value.forEach((lane, i) => {
    const y = laneY(i);
    if (y + LANE_HEIGHT < from || y > to) return;
    const { id } = pick.lanes[i]!;
    pictures.draw(c, id, [frame.value, maps, lane, ink.value], { ...size, y }, (sheet) => {
      drawLane(sheet, frame.value, maps, lane, ink.value, 0);
    });
    if (i === pick.cursor.lane) drawChosen(c, frame.value, pick.target, y);
  });
});

useFrames(
  () => roll.moves,
  () => {
    if (!head.value) return;
    const tick = roll.tickNow();
    const { from, to } = pick.shownRange;
    head.value.style.display = tick >= from && tick < to ? 'block' : 'none';
    head.value.style.transform = `translateX(${Math.round(laneX(frame.value, tick)) - 1}px)`;
  },
);

// Distance in pixels within which the pointer hits a join.
const NEAR = 5;
type Drag =
  | { readonly type: 'bars'; readonly from: number; moved: boolean }
  | { readonly type: 'join'; readonly at: Ticks; readonly before: string; readonly after: string; to: Ticks };
let drag: Drag | null = null;
const dragged = ref<Ticks | null>(null);
const placeOf = (event: PointerEvent) => {
  const box = card.value!.getBoundingClientRect();
  const x = event.clientX - box.left - 1;
  const y = event.clientY - box.top - 1 + scrolled.value;
  return { x, y, lane: laneAtY(y, pick.lanes.length), tick: tickOfX(frame.value, x) };
};
const joinNear = (x: number, lane: number | undefined) =>
  lane === undefined ? undefined : pick.joinsHere.find((j) => Math.abs(laneX(frame.value, j.at) - x) <= NEAR);
const barOf = (tick: Ticks): number =>
  Math.max(pick.bars[0]!, Math.min(pick.bars.at(-1)!, barAt(openSong.maps.meter, tick)));

function down(event: PointerEvent): void {
  const { x, y, lane, tick } = placeOf(event);
  if (event.button !== 0 || tick < pick.shownRange.from || tick >= pick.shownRange.to) return;
  const join = joinNear(x, lane);
  const touches = join && (lane === -1 || [join.before, join.after].includes(pick.lanes[lane!]!.id));
  if (join && touches) {
    drag = { type: 'join', at: join.at, before: join.before, after: join.after, to: join.at };
    active.value = join.at;
  } else if (lane === -1 || y < RULER) session.seek(tick);
  else if (lane !== undefined) {
    drag = { type: 'bars', from: barOf(tick), moved: false };
    pick.cursor = { lane, bar: barOf(tick) };
    pick.selected = null;
  }
  if (drag) card.value!.setPointerCapture(event.pointerId);
}
const over = ref(false);
function move(event: PointerEvent): void {
  const { x, lane, tick } = placeOf(event);
  over.value = joinNear(x, lane) !== undefined;
  if (!drag) return;
  if (drag.type === 'join') {
    drag.to = pick.edgeAt(tick, drag.before, drag.after, pick.roomOf(drag));
    dragged.value = drag.to;
    return;
  }
  const bar = barOf(tick);
  if (bar === drag.from && !drag.moved) return;
  drag.moved = true;
  pick.selected = pick.barRange(drag.from, bar);
  pick.cursor = { ...pick.cursor, bar };
}
function up(): void {
  const ended = drag;
  drag = null;
  dragged.value = null;
  if (ended?.type === 'join') {
    pick.moveJoin(ended, ended.to);
    active.value = ended.to;
  } else if (ended) choose();
}
/** Picks the selected bars from the lane of the cursor. */
function choose(): void {
  const take = pick.atCursor;
  if (take) pick.pickTake(take, pick.target);
  pick.selected = null;
}

function key(event: KeyboardEvent): void {
  if (event.target !== card.value || event.ctrlKey || event.metaKey || event.altKey) return;
  const { bar } = pick.cursor;
  const at = (next: number): void => {
    const to = Math.max(pick.bars[0]!, Math.min(pick.bars.at(-1)!, next));
    if (event.shiftKey) {
      const fixed = pick.selected ? anchor : bar;
      anchor = fixed;
      pick.selected = pick.barRange(fixed, to);
    } else pick.selected = null;
    pick.cursor = { ...pick.cursor, bar: to };
  };
  const KEYS: Readonly<Record<string, () => void>> = {
    ArrowLeft: () => at(bar - 1),
    ArrowRight: () => at(bar + 1),
    ArrowUp: () => pick.toLane(-1),
    ArrowDown: () => pick.toLane(1),
    Enter: choose,
    Escape: () => {
      pick.selected = null;
    },
  };
  const action = KEYS[event.key];
  if (!action) return;
  event.preventDefault();
  event.stopPropagation();
  action();
  if (event.key.startsWith('Arrow')) reveal();
}
let anchor = 1;
/** Scrolls to the lane of the cursor. */
function reveal(): void {
  const y = laneY(pick.cursor.lane);
  const view = card.value!;
  if (y < view.scrollTop + RULER) view.scrollTop = y - RULER;
  else if (y + LANE_HEIGHT > view.scrollTop + view.clientHeight)
    view.scrollTop = y + LANE_HEIGHT + 8 - view.clientHeight;
}

const described = computed(() => {
  const take = pick.atCursor;
  const { meter } = openSong.maps;
  const name = pick.part?.name ?? 'no part';
  if (!take) return `Takes of ${name}, ${rangeWords(pick.shownRange, meter)}: none.`;
  const slips = pick.known?.comparison.bars.get(take.id)?.get(pick.cursor.bar)?.slips.length ?? 0;
  const heard = pick.part!.comp.some((p) => p.takeId === take.id && p.from < pick.target.to && p.to > pick.target.from);
  return (
    `Takes of ${name}, ${rangeWords(pick.shownRange, meter)}. Take ${take.number}, ${rangeWords(pick.target, meter)}` +
    `${heard ? ', picked' : ''}${slips ? `, ${slips} slips` : ''}. Arrows go to bars and takes, Enter picks.`
  );
});
const ghost = computed((): TickRange | null =>
  dragged.value === null ? null : { from: dragged.value, to: dragged.value + 1 },
);
</script>

<template>
  <div
    ref="card"
    class="lanes sheet drawn-sheet"
    :class="{ over }"
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
    <div class="paper" :style="{ height: `${sheetHeight(pick.lanes.length)}px` }">
      <div ref="host" class="window" />
      <div class="names line-name" :style="{ top: `${RULER + 8}px`, height: `${LINE_HEIGHT}px` }">
        <span class="big">The line</span>
        <span class="quiet small">{{
          pick.running ? 'picking as it plays' : pick.hearing ? 'another take is heard' : 'what you hear'
        }}</span>
      </div>
      <TakeLabel
        v-for="(take, i) in pick.lanes"
        :key="take.id"
        class="take-name"
        :take="take"
        :at-cursor="pick.cursor.lane === i"
        :style="{ top: `${laneY(i)}px`, height: `${LANE_HEIGHT}px` }"
        @pointerdown.stop
      />
      <i v-if="ghost" class="ghost" :style="{ left: `${laneX(frame, ghost.from)}px` }" />
      <i ref="head" class="head" :class="{ still: !pass.rolling }" />
    </div>
    <div v-if="pick.lanes.length === 0" class="empty quiet">
      <template v-if="!pick.part">{{ reading.noPart }}</template>
      <template v-else-if="pick.part.takes.length === 0"
        >{{ pick.part.name }} has no takes yet. Record some on Play, then pick the best of every bar here.</template
      >
      <template v-else-if="pick.there.length > 0">Every take that has something here is hidden.</template>
      <template v-else>No take of {{ pick.part.name }} has anything here.</template>
    </div>
  </div>
</template>

<style scoped>
.lanes {
  touch-action: pan-y;
}
.lanes.over {
  cursor: ew-resize;
}
.line-name,
.take-name {
  position: absolute;
  left: 14px;
  width: 112px;
}
.line-name {
  display: grid;
  align-content: start;
  pointer-events: none;
}
.big {
  font-size: 17px;
  font-weight: 600;
}
.small {
  font: 11px/1.3 var(--text);
}
.head,
.ghost {
  position: absolute;
  top: 4px;
  bottom: 4px;
  left: 0;
  width: 2px;
  background: var(--copper);
  pointer-events: none;
}
.ghost {
  background: var(--ink);
}
.empty {
  position: absolute;
  left: 146px;
  top: 150px;
  max-width: 420px;
}
</style>
