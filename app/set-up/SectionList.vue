<script setup lang="ts">
import Sortable from 'sortablejs';
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';
import { mdiArrowDown, mdiArrowUp, mdiClose, mdiContentCopy, mdiDrag } from '@mdi/js';
import { PATTERNS, type Pattern } from '~~/core/backing/patterns';
import type { Section } from '~~/core/document/section';
import { many } from '~~/core/vocabulary/many';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useSetup } from './setup';

/** Form as a list of sections: name, length, order and click rhythm; the selected one can be changed. */
const song = useSong();
const openSong = useOpenSong();
const setup = useSetup();
const reading = useReading();
const list = ref<HTMLElement | null>(null);
const sections = computed(() => openSong.document.sections);
const set = (next: readonly Section[]) => song.run({ type: 'set sections', sections: next });
const change = (index: number, to: Partial<Section>) =>
  set(sections.value.map((s, i) => (i === index ? { ...s, ...to } : s)));

function moveTo(from: number, to: number): void {
  if (to < 0 || to >= sections.value.length || from === to) return;
  const next = [...sections.value];
  next.splice(to, 0, ...next.splice(from, 1));
  set(next);
}
function copy(index: number): void {
  const next = [...sections.value];
  const id = crypto.randomUUID();
  next.splice(index + 1, 0, { ...next[index]!, id });
  set(next);
  setup.sectionId = id;
}
function setBars(index: number, text: string): void {
  const bars = Math.round(Number(text));
  if (bars >= 1 && bars <= 2000) change(index, { bars });
}
/** Buttons of a section. */
const actsOf = (i: number) => {
  const { name } = sections.value[i]!;
  const last = sections.value.length - 1;
  return [
    { icon: mdiArrowUp, words: `Move ${name} up`, off: i === 0, does: () => moveTo(i, i - 1) },
    { icon: mdiArrowDown, words: `Move ${name} down`, off: i === last, does: () => moveTo(i, i + 1) },
    { icon: mdiContentCopy, words: `Duplicate ${name}`, off: false, does: () => copy(i) },
    { icon: mdiClose, words: `Take ${name} out`, off: false, does: () => set(sections.value.toSpliced(i, 1)) },
  ];
};
const USUAL_BARS = 8;
function add(): void {
  const id = crypto.randomUUID();
  set([...sections.value, { id, name: `Section ${sections.value.length + 1}`, bars: USUAL_BARS, pattern: null }]);
  setup.sectionId = id;
}
function setLength(text: string): void {
  const bars = Math.round(Number(text));
  if (bars >= 1 && bars <= 5000) song.run({ type: 'set length', bars });
}
const named = computed(() => sections.value.reduce((sum, s) => sum + s.bars, 0));

let sortable: Sortable | undefined;
onMounted(() => {
  sortable = Sortable.create(list.value!, {
    handle: '.grip',
    animation: 0,
    draggable: '.section',
    onEnd: ({ oldDraggableIndex: from, newDraggableIndex: to, item }) => {
      if (from === undefined || to === undefined || from === to) return;
      // The list is rendered from the song, so the dragged element is removed.
      item.remove();
      list.value!.insertBefore(item, list.value!.children[from] ?? null);
      moveTo(from, to);
    },
  });
});
onBeforeUnmount(() => sortable?.destroy());

const patterns = [{ value: null, title: 'no rhythm' }, ...PATTERNS.map((value) => ({ value, title: value }))] as {
  value: Pattern | null;
  title: string;
}[];
</script>

<template>
  <div class="form">
    <div class="label head"><span>Sections</span><button class="add" @click="add">Add a section</button></div>
    <div ref="list" class="sections">
      <article v-for="(section, i) in sections" :key="section.id" class="section sheet">
        <v-icon class="grip" :icon="mdiDrag" size="18" aria-hidden="true" />
        <template v-if="section.id === setup.section?.id">
          <SmallField
            class="field names"
            :model-value="section.name"
            maxlength="120"
            :aria-label="`Name of section ${i + 1}`"
            @set="(text: string) => text.trim() && change(i, { name: text.trim() })"
          />
          <SmallField
            class="field figures"
            type="number"
            min="1"
            max="2000"
            :model-value="section.bars"
            :aria-label="`Bars of ${section.name}`"
            @set="(text: string) => setBars(i, text)"
          />
          <span class="quiet">bars</span>
          <SmallSelect
            class="rhythm"
            :model-value="section.pattern"
            :items="patterns"
            :label="`Rhythm under ${section.name}`"
            @update:model-value="(pattern: Pattern | null) => change(i, { pattern })"
          />
          <span class="acts">
            <v-btn
              v-for="act in actsOf(i)"
              :key="act.words"
              :icon="act.icon"
              size="x-small"
              variant="text"
              :disabled="act.off"
              :aria-label="act.words"
              @click="act.does"
            />
          </span>
        </template>
        <button v-else class="other" @click="setup.sectionId = section.id">
          <span class="names">{{ section.name }}</span>
          <span class="quiet">{{ many(section.bars, 'bar') }}{{ section.pattern ? `, ${section.pattern}` : '' }}</span>
        </button>
      </article>
    </div>
    <p v-if="sections.length === 0" class="quiet small">
      No sections yet. A section is a name and a number of bars; each begins a row of the chart.
    </p>
    <div class="row">
      <label class="label" for="length">Song, in bars</label>
      <SmallField
        id="length"
        class="field figures"
        type="number"
        min="1"
        max="5000"
        :model-value="openSong.document.bars"
        @set="(text: string) => setLength(text)"
      />
      <span class="quiet small">{{
        named < openSong.document.bars ? `${openSong.document.bars - named} at the end without a name` : ''
      }}</span>
    </div>
    <p v-if="reading.shown?.takes.length" class="quiet small">
      Takes and backings stay where they are when sections move.
    </p>
    <div class="label">Rhythm</div>
    <div class="sheet mix">
      <MixRow
        label="Rhythm"
        :gain-db="openSong.document.rhythm.gainDb"
        :muted="openSong.document.rhythm.muted"
        :value-text="`${Math.round(openSong.document.rhythm.gainDb)} dB`.replace('-', '−')"
        @set="(to) => openSong.setSong({ rhythm: { ...openSong.document.rhythm, ...to } })"
      />
    </div>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  gap: 6px;
  align-content: start;
}
.head {
  display: flex;
  justify-content: space-between;
}
.add {
  color: var(--copper-ink);
  font-weight: 600;
  font-size: 12px;
  letter-spacing: 0;
  text-transform: none;
}
.sections {
  display: grid;
  gap: 4px;
}
.section {
  display: grid;
  grid-template-columns: 20px 1fr 52px 32px;
  gap: 4px 6px;
  padding: 5px 8px;
  align-items: center;
}
.grip {
  cursor: grab;
  color: var(--ink-3);
}
.other {
  grid-column: 2 / -1;
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
  min-height: 28px;
  text-align: left;
}
.rhythm {
  grid-column: 2;
}
.acts {
  grid-column: 3 / 5;
  justify-self: end;
  white-space: nowrap;
}
.acts :deep(.v-btn) {
  width: 22px;
  height: 22px;
}
.field {
  width: 100%;
  min-width: 0;
  font-size: 13px;
}
.section .field:hover,
.row .field {
  border-color: var(--rule);
}
.names {
  font-family: var(--names);
  font-weight: 600;
  font-size: 14px;
}
.rhythm {
  color: var(--ink-2);
  font-size: 12px;
}
.row {
  display: flex;
  align-items: center;
  gap: 8px;
}
.row .field {
  width: 70px;
}
.small {
  font-size: 12px;
  margin: 2px;
}
.mix {
  padding: 6px 12px;
}
</style>
