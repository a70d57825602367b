<script setup lang="ts">
import { computed, ref } from 'vue';
import { mdiDotsHorizontal } from '@mdi/js';
import { INKS, type Part } from '~~/core/document/part';
import { LONGEST_NAME } from '~~/core/vocabulary/limits';
import { TOKENS } from '~/drawing/inks';
import { useNotices } from '~/notices/notices';
import { usePartRoom } from '~/song/partRoom';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';

/** Menu of a part: name, colour, order, duplicate, put away. */
const props = defineProps<{ part: Part }>();
const song = useSong();
const openSong = useOpenSong();
const { hasRoom } = usePartRoom();
const notices = useNotices();
const open = ref(false);

const set = (to: Partial<Pick<Part, 'name' | 'ink'>>) => openSong.setPart(props.part.id, to);
function rename(name: string): void {
  if (name.trim()) set({ name: name.trim().slice(0, LONGEST_NAME) });
}
const index = computed(() => openSong.document.parts.findIndex((p) => p.id === props.part.id));
/** Moves a part in the list, past parts that are put away. */
function move(by: number): void {
  const { parts } = openSong.document;
  let to = index.value + by;
  while (parts[to]?.away) to += by;
  if (parts[to]) song.run({ type: 'move part', part: props.part.id, to });
}
function duplicate(): void {
  open.value = false;
  if (!hasRoom('Nothing was changed.')) return;
  const name = `${props.part.name.slice(0, LONGEST_NAME - 2)} 2`;
  const takes = props.part.takes.map(() => crypto.randomUUID());
  song.run({ type: 'duplicate part', part: props.part.id, to: { id: crypto.randomUUID(), name }, takes });
}
function putAway(): void {
  open.value = false;
  song.run({ type: 'put part away', part: props.part.id, away: true });
  notices.say(`${props.part.name} is put away with everything in it. It comes back from under the parts.`, 'plain');
}
</script>

<template>
  <Popup v-model="open" :label="part.name" :width="260">
    <template #activator="{ props: menu }">
      <v-btn
        v-bind="menu"
        size="x-small"
        density="compact"
        variant="text"
        :icon="mdiDotsHorizontal"
        :aria-label="`${part.name}: name, colour, place`"
      />
    </template>
    <SmallField :model-value="part.name" :aria-label="`Name of ${part.name}`" :maxlength="LONGEST_NAME" @set="rename" />
    <div class="inks" role="group" aria-label="Colour">
      <button
        v-for="ink in INKS"
        :key="ink"
        class="ink"
        :style="{ background: TOKENS[ink] }"
        :aria-label="ink"
        :aria-pressed="part.ink === ink"
        @click="set({ ink })"
      />
    </div>
    <div class="choices">
      <v-btn size="small" @click="move(-1)">Up</v-btn>
      <v-btn size="small" @click="move(1)">Down</v-btn>
      <v-btn size="small" @click="duplicate">Duplicate</v-btn>
      <v-btn size="small" @click="putAway">Put away</v-btn>
    </div>
  </Popup>
</template>

<style scoped>
.inks {
  display: flex;
  gap: 8px;
}
.ink {
  width: 24px;
  height: 24px;
  border-radius: 50%;
  border: 2px solid var(--sheet);
}
.ink[aria-pressed='true'] {
  box-shadow: 0 0 0 2px var(--ink);
}
</style>
