<script setup lang="ts">
import { computed } from 'vue';
import { keyName } from '~~/core/performance/messages';
import { useKeyboards } from '~/keyboards/keyboards';

/** The 88 keys of a piano: what the keyboards send, and a keyboard to play with the pointer. */
const LOWEST = 21;
const HIGHEST = 108;
const BLACK = new Set([1, 3, 6, 8, 10]);
/** Where on a key it is struck says how hard: high up is soft, at the front edge loud. */
const SOFTEST = 40;
const LOUDEST = 112;

const keyboards = useKeyboards();
const isBlack = (key: number) => BLACK.has(key % 12);
const all = Array.from({ length: HIGHEST - LOWEST + 1 }, (_, i) => LOWEST + i);
const whites = all.filter((k) => !isBlack(k));
const width = 100 / whites.length;

const keys = computed(() =>
  all.map((key) => {
    const before = whites.filter((w) => w < key).length;
    const black = isBlack(key);
    return {
      key,
      black,
      name: keyName(key),
      label: key % 12 === 0 ? String(key / 12 - 1) : '',
      style: { left: `${(before - (black ? 0.31 : 0)) * width}%`, width: `${width * (black ? 0.62 : 1)}%` },
    };
  }),
);

let sounding: number | null = null;

function keyAt(event: PointerEvent): { key: number; velocity: number } | null {
  const element = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>('[data-key]');
  if (!element) return null;
  const box = element.getBoundingClientRect();
  const depth = Math.max(0, Math.min(1, (event.clientY - box.top) / box.height));
  return { key: Number(element.dataset.key), velocity: Math.round(SOFTEST + depth * (LOUDEST - SOFTEST)) };
}

function down(event: PointerEvent): void {
  const found = keyAt(event);
  if (!found) return;
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  sounding = found.key;
  keyboards.screen.down(found.key, found.velocity, event.timeStamp);
}

function move(event: PointerEvent): void {
  if (sounding === null) return;
  const found = keyAt(event);
  if (!found || found.key === sounding) return;
  keyboards.screen.up(sounding, event.timeStamp);
  sounding = found.key;
  keyboards.screen.down(found.key, found.velocity, event.timeStamp);
}

function up(event: PointerEvent): void {
  if (sounding !== null) keyboards.screen.up(sounding, event.timeStamp);
  sounding = null;
}
</script>

<template>
  <section
    class="strip"
    aria-label="Key strip: the keys as they are played. Press to play."
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
  >
    <div
      v-for="k in keys"
      :key="k.key"
      class="key"
      :class="{ black: k.black, held: keyboards.held.has(k.key) }"
      :style="k.style"
      :data-key="k.key"
      :title="k.name"
    >
      <span v-if="k.label">{{ k.label }}</span>
    </div>
  </section>
</template>

<style scoped>
.strip {
  grid-row: 5;
  position: relative;
  background: var(--plate);
  touch-action: none;
  user-select: none;
  overflow: hidden;
}
.key {
  position: absolute;
  top: 0;
  height: 100%;
  background: #f1e9d8;
  border-right: 1px solid #38474f;
  border-left: 0;
}
.key.black {
  background: var(--ink);
  height: 58%;
  z-index: 1;
  border: 0;
  border-radius: 0 0 2px 2px;
}
.key.held {
  background: #cf8a60;
}
.key span {
  position: absolute;
  bottom: 0;
  left: 0;
  right: 0;
  text-align: center;
  font: 11px var(--figures);
  color: var(--ink-2);
  pointer-events: none;
  line-height: 13px;
}
</style>
