<script setup lang="ts">
import { computed } from 'vue';
import { atHand } from '~~/core/document/part';
import { keyName } from '~~/core/performance/messages';
import { EVERYTHING, listenersOf, type InputRoute } from '~~/core/recording/inputRoutes';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useKeyboards } from '~/keyboards/keyboards';

/** Choice of the armed parts: one, or several at once, each with its own keyboard or keys. */
const openSong = useOpenSong();
const reading = useReading();
const keyboards = useKeyboards();
const brief = computed(() => openSong.document.brief);
const listeners = computed(() => listenersOf(openSong.document));
const boards = computed(() => [
  { value: null, title: 'any keyboard' },
  ...keyboards.active.map((k) => ({ value: k.id, title: keyboards.nameOf(k) })),
]);
const routeOf = (id: string): InputRoute | undefined => listeners.value.find((l) => l.part.id === id)?.route;

/** Stores the armed parts: the first in the brief's own field, the others after it. */
function write(all: readonly (InputRoute & { part: string })[]): void {
  const [first, ...also] = all;
  openSong.setBrief(
    first
      ? { part: first.part, keyboard: first.keyboard, keys: { low: first.low, high: first.high }, also }
      : { part: null, also: [] },
  );
}
const now = () => listeners.value.map(({ part, route }) => ({ part: part.id, ...route }));
function toggle(id: string, on: boolean): void {
  write(on ? [...now(), { part: id, ...EVERYTHING }] : now().filter((l) => l.part !== id));
  if (on) reading.shownId = id;
}
const set = (id: string, to: Partial<InputRoute>) => write(now().map((l) => (l.part === id ? { ...l, ...to } : l)));
const clamp = (text: string, least: number, most: number) =>
  Math.max(least, Math.min(most, Math.round(Number(text)) || 0));
</script>

<template>
  <div class="listeners">
    <div class="choices">
      <v-btn
        v-for="p in atHand(openSong.document.parts)"
        :key="p.id"
        :active="listeners.length === 1 && brief.part === p.id"
        @click="
          write([{ part: p.id, ...EVERYTHING, keyboard: brief.keyboard }]);
          reading.shownId = p.id;
        "
        >{{ p.name }}</v-btn
      >
      <v-btn :active="listeners.length === 0" @click="write([])">No part</v-btn>
    </div>
    <template v-if="openSong.document.parts.length > 1">
      <p class="quiet">Or several at once, each its own keyboard or its own keys:</p>
      <div v-for="p in atHand(openSong.document.parts)" :key="p.id" class="route">
        <label
          ><input
            type="checkbox"
            :checked="Boolean(routeOf(p.id))"
            @change="toggle(p.id, ($event.target as HTMLInputElement).checked)"
          />
          {{ p.name }}</label
        >
        <template v-if="routeOf(p.id) && listeners.length > 1">
          <SmallSelect
            :model-value="routeOf(p.id)!.keyboard"
            :items="boards"
            :label="`Keyboard of ${p.name}`"
            @update:model-value="(keyboard: string | null) => set(p.id, { keyboard })"
          />
          <span class="keys">
            <SmallField
              class="field figures"
              type="number"
              min="0"
              max="127"
              :model-value="routeOf(p.id)!.low"
              :aria-label="`Lowest key of ${p.name}`"
              @set="(text: string) => set(p.id, { low: clamp(text, 0, routeOf(p.id)!.high) })"
            />
            {{ keyName(routeOf(p.id)!.low) }} to
            <SmallField
              class="field figures"
              type="number"
              min="0"
              max="127"
              :model-value="routeOf(p.id)!.high"
              :aria-label="`Highest key of ${p.name}`"
              @set="(text: string) => set(p.id, { high: clamp(text, routeOf(p.id)!.low, 127) })"
            />
            {{ keyName(routeOf(p.id)!.high) }}
          </span>
        </template>
      </div>
    </template>
  </div>
</template>

<style scoped>
.listeners {
  display: grid;
  gap: 8px;
}
.route {
  display: grid;
  gap: 4px;
  font-size: 13px;
}
.keys {
  display: flex;
  gap: 6px;
  align-items: center;
}
.keys .field {
  width: 58px;
}
p {
  margin: 0;
  font-size: 13px;
}
</style>
