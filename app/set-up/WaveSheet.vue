<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { useFrames } from '~/drawing/useFrames';
import { computed, ref } from 'vue';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import type { Backing } from '~~/core/document/backing';
import type { FoundBeat } from '~~/core/backing/beats';
import { usePass } from '~/transport/pass';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useScrolledCanvas } from '~/drawing/useScrolledCanvas';
import { TOKENS } from '~/drawing/inks';
import {
  drawBars,
  drawBeats,
  drawWave,
  secondsAPixel,
  sheetHeight,
  waveMoment,
  wavePoint,
  WAVE_ROW,
  type WaveSheet,
} from './waveDrawing';
import { useBackings } from '~/backings/backings';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useSetup } from './setup';
import { useSong } from '~/song/song';

/** Recording in wrapped rows, with the song's bars or the beats found in it. */
const props = defineProps<{ backing: Backing }>();
const song = useSong();
const openSong = useOpenSong();
const pass = usePass();
const reading = useReading();
const session = useSession();
const roll = useRoll();
const setup = useSetup();
const backings = useBackings();

const card = ref<HTMLElement | null>(null);
const host = ref<HTMLDivElement | null>(null);
const head = ref<HTMLElement | null>(null);
/** Distance of the current drag, of the whole wave or of one beat. */
const moved = ref(0);
const grabbed = ref<{ index: number; at: number; from: number } | null>(null);

const { width, height, scrolled, follow } = useScrolledCanvas(card, host);

const found = computed(() => (setup.beats?.backing === props.backing.id ? setup.beats.found : null));
const offset = computed(() => props.backing.offset + moved.value);
const ROW_SECONDS = 12;
const sheet = computed((): WaveSheet => {
  const from = Math.min(0, props.backing.offset);
  const to = Math.max(openSong.maps.endSeconds, props.backing.offset + props.backing.length);
  return {
    width: Math.max(320, width.value),
    from,
    row: ROW_SECONDS,
    rows: Math.max(1, Math.ceil((to - from) / ROW_SECONDS)),
  };
});
const sight = computed(() => ({ top: scrolled.value, height: height.value }));

follow([sheet, offset, grabbed, found, () => reading.maps, () => backings.waves], (c) => {
  const wave = backings.waves.get(props.backing.audio);
  drawWave(c, sheet.value, wave, offset.value, sight.value, found.value ? TOKENS.wave : TOKENS.waveInk);
  if (found.value) drawBeats(c, sheet.value, found.value, offset.value, grabbed.value, sight.value);
  else drawBars(c, sheet.value, openSong.maps, sight.value);
});

let shown = '';
useFrames(
  () => roll.moves,
  () => {
    const at = wavePoint(sheet.value, secondsAt(openSong.maps.tempo, roll.tickNow()));
    if (!head.value || !at) return;
    const place = `translate(${Math.round(at.x)}px, ${at.y}px)`;
    if (place === shown) return;
    if (pass.rolling && card.value && (at.y + WAVE_ROW > scrolled.value + height.value || at.y < scrolled.value))
      card.value.scrollTop = at.y - 20;
    head.value.style.transform = shown = place;
  },
);

const momentOf = (event: PointerEvent | MouseEvent): number => {
  const box = host.value!.getBoundingClientRect();
  return waveMoment(sheet.value, event.clientX - box.left, event.clientY - box.top + scrolled.value);
};
const REACH_PX = 7;
function beatNear(at: number): { beat: FoundBeat; index: number } | undefined {
  const beats = found.value?.beats ?? [];
  const index = beats.reduce(
    (best, b, i) =>
      Math.abs(b.at + offset.value - at) < Math.abs((beats[best]?.at ?? Infinity) + offset.value - at) ? i : best,
    0,
  );
  const beat = beats[index];
  return beat && Math.abs(beat.at + offset.value - at) <= REACH_PX * secondsAPixel(sheet.value)
    ? { beat, index }
    : undefined;
}

let pressed: { x: number; at: number } | null = null;
function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  pressed = { x: event.clientX, at: momentOf(event) };
  const near = beatNear(pressed.at);
  if (near) grabbed.value = { index: near.index, at: near.beat.at, from: near.beat.at };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}
function move(event: PointerEvent): void {
  if (!pressed) return;
  const by = (event.clientX - pressed.x) * secondsAPixel(sheet.value);
  if (grabbed.value) grabbed.value = { ...grabbed.value, at: grabbed.value.from + by };
  else if (!found.value && Math.abs(event.clientX - pressed.x) > 4) moved.value = by;
}
function up(): void {
  if (grabbed.value && grabbed.value.at !== grabbed.value.from) void setup.pin(grabbed.value.from, grabbed.value.at);
  else if (moved.value !== 0)
    song.run({ type: 'move backing', backing: props.backing.id, offset: props.backing.offset + moved.value });
  else if (pressed) session.seek(tickAt(openSong.maps.tempo, pressed.at));
  grabbed.value = null;
  moved.value = 0;
  pressed = null;
}

/** Alt with an arrow key moves the beat nearest to the playhead, or the backing. */
const FINE = 0.005;
function key(event: KeyboardEvent): void {
  if (!event.altKey || !/^Arrow(Left|Right)$/.test(event.key)) return;
  const by = (event.key === 'ArrowRight' ? 1 : -1) * FINE * (event.shiftKey ? 10 : 1);
  if (found.value) {
    const at = secondsAt(openSong.maps.tempo, roll.playhead) - offset.value;
    const beat = found.value.beats.reduce<FoundBeat | undefined>(
      (best, b) => (!best || Math.abs(b.at - at) < Math.abs(best.at - at) ? b : best),
      undefined,
    );
    if (beat) void setup.pin(beat.at, beat.at + by);
  } else song.run({ type: 'move backing', backing: props.backing.id, offset: props.backing.offset + by });
  event.preventDefault();
  event.stopPropagation();
}
const described = computed(() =>
  found.value
    ? `${props.backing.name} with ${many(found.value.beats.length, 'beat')} found in it. Drag a beat to put it ` +
      'right; Alt and arrows move the one at the playhead.'
    : `${props.backing.name} against the bars. Drag it sideways to line it up; Alt and arrows move it by ` +
      '5 ms, with Shift by 50.',
);
</script>

<template>
  <div
    ref="card"
    class="wave sheet drawn-sheet"
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
    <div class="paper" :style="{ height: `${sheetHeight(sheet)}px` }">
      <div ref="host" class="window" />
      <i ref="head" class="head" />
    </div>
  </div>
</template>

<style scoped>
.wave {
  touch-action: pan-y;
  cursor: grab;
}
.head {
  position: absolute;
  left: 0;
  top: 0;
  width: 2px;
  height: 66px;
  background: var(--copper);
  pointer-events: none;
}
</style>
