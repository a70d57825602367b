<script setup lang="ts">
import { keyName } from '~~/core/performance/messages';
import { useKeyboards } from '~/keyboards/keyboards';
import { keyLayout } from '~/controls/pianoKeys';

/** Piano keyboard of 88 keys: it shows what keyboards send, and is played with the pointer. */
const LOWEST = 21;
const HIGHEST = 108;
/** Velocities of the strip: soft at the back of a key, loud at its front. */
const SOFTEST = 40;
const LOUDEST = 112;

const keyboards = useKeyboards();
const keys = keyLayout(LOWEST, HIGHEST).map((place) => ({
  ...place,
  name: keyName(place.key),
  label: place.key % 12 === 0 ? String(place.key / 12 - 1) : '',
}));

/** Key under each pointer that is down, as several fingers can play. */
const sounding = new Map<number, number>();

function keyAt(event: PointerEvent): { key: number; velocity: number } | null {
  const element = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>('[data-key]');
  if (!element) return null;
  const box = element.getBoundingClientRect();
  const depth = Math.max(0, Math.min(1, (event.clientY - box.top) / box.height));
  return { key: Number(element.dataset.key), velocity: Math.round(SOFTEST + depth * (LOUDEST - SOFTEST)) };
}

/** A key sounds until its last finger is lifted. */
function letGo(pointer: number, stamp: number): void {
  const key = sounding.get(pointer);
  sounding.delete(pointer);
  if (key !== undefined && ![...sounding.values()].includes(key)) keyboards.screen.up(key, stamp);
}

function press(event: PointerEvent): void {
  const found = keyAt(event);
  if (!found || found.key === sounding.get(event.pointerId)) return;
  letGo(event.pointerId, event.timeStamp);
  const isDown = [...sounding.values()].includes(found.key);
  sounding.set(event.pointerId, found.key);
  if (!isDown) keyboards.screen.down(found.key, found.velocity, event.timeStamp);
}

function down(event: PointerEvent): void {
  if (!keyAt(event)) return;
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  press(event);
}
function move(event: PointerEvent): void {
  if (sounding.has(event.pointerId)) press(event);
}
const up = (event: PointerEvent): void => letGo(event.pointerId, event.timeStamp);
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
  background: var(--key);
  border-right: 1px solid var(--plate-2);
  border-left: 0;
}
.key.black {
  background: var(--plate);
  height: 58%;
  z-index: 1;
  border: 0;
  border-radius: 0 0 2px 2px;
}
.key.held {
  background: var(--key-held);
}
.key span {
  position: absolute;
  bottom: 0;
  left: 0;
  right: 0;
  text-align: center;
  font: 11px var(--figures);
  color: var(--plate-2);
  pointer-events: none;
  line-height: 13px;
}
</style>
