<script setup lang="ts">
import { computed } from 'vue';
import { atHand } from '~~/core/document/part';
import { keyName } from '~~/core/performance/messages';
import { EVERYTHING, listenersOf, type Ear } from '~~/core/recording/ears';
import { useReading } from '~/song/reading';
import { useKeyboards } from '~/keyboards/keyboards';
import { useSong } from '~/song/song';

/** Choice of parts that are armed: one, or several at once, each its own keyboard or its own keys. */
const song = useSong();
const reading = useReading();
const keyboards = useKeyboards();
const brief = computed(() => song.document!.brief);
const listeners = computed(() => listenersOf(song.document!));
const boards = computed(() => [
  { value: null, title: 'any keyboard' },
  ...keyboards.active.map((k) => ({ value: k.id, title: keyboards.nameOf(k) })),
]);
const earOf = (id: string): Ear | undefined => listeners.value.find((l) => l.part.id === id)?.ear;

/** Writes the listeners back: the first is the brief's own, the others come after it. */
function write(all: readonly (Ear & { part: string })[]): void {
  const [first, ...also] = all;
  song.run({
    type: 'set brief',
    brief: first
      ? { part: first.part, keyboard: first.keyboard, keys: { low: first.low, high: first.high }, also }
      : { part: null, also: [] },
  });
}
const now = () => listeners.value.map(({ part, ear }) => ({ part: part.id, ...ear }));
function toggle(id: string, on: boolean): void {
  write(on ? [...now(), { part: id, ...EVERYTHING }] : now().filter((l) => l.part !== id));
  if (on) reading.shownId = id;
}
const set = (id: string, to: Partial<Ear>) => write(now().map((l) => (l.part === id ? { ...l, ...to } : l)));
const clamp = (text: string, least: number, most: number) =>
  Math.max(least, Math.min(most, Math.round(Number(text)) || 0));
</script>

<template>
  <div class="listeners">
    <div class="choices">
      <v-btn
        v-for="p in atHand(song.document!.parts)"
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
    <template v-if="song.document!.parts.length > 1">
      <p class="quiet">Or several at once, each its own keyboard or its own keys:</p>
      <div v-for="p in atHand(song.document!.parts)" :key="p.id" class="ear">
        <label
          ><input
            type="checkbox"
            :checked="Boolean(earOf(p.id))"
            @change="toggle(p.id, ($event.target as HTMLInputElement).checked)"
          />
          {{ p.name }}</label
        >
        <template v-if="earOf(p.id) && listeners.length > 1">
          <SmallSelect
            :model-value="earOf(p.id)!.keyboard"
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
              :model-value="earOf(p.id)!.low"
              :aria-label="`Lowest key of ${p.name}`"
              @set="(text: string) => set(p.id, { low: clamp(text, 0, earOf(p.id)!.high) })"
            />
            {{ keyName(earOf(p.id)!.low) }} to
            <SmallField
              class="field figures"
              type="number"
              min="0"
              max="127"
              :model-value="earOf(p.id)!.high"
              :aria-label="`Highest key of ${p.name}`"
              @set="(text: string) => set(p.id, { high: clamp(text, earOf(p.id)!.low, 127) })"
            />
            {{ keyName(earOf(p.id)!.high) }}
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
.ear {
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
