<script setup lang="ts">
import Sortable from 'sortablejs';
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';
import type { Section } from '~~/core/document/section';
import { useOpenSong } from '~/song/openSong';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { sectionsOf } from '~~/core/document/maps';
import { vHint } from '~/controls/hint';
import { useSetup } from './setup';

/** Form as a strip, each section as wide as it is long: a section is moved by dragging, and resized at its end. */
const song = useSong();
const openSong = useOpenSong();
const session = useSession();
const strip = ref<HTMLElement | null>(null);
const sections = computed(() => openSong.document.sections);
const set = (next: readonly Section[]) => song.run({ type: 'set sections', sections: next });

/** Section whose end is being dragged. */
const pulled = ref<{ readonly index: number; readonly bars: number } | null>(null);
const barsOf = (section: Section, index: number) => (pulled.value?.index === index ? pulled.value.bars : section.bars);
let start: { x: number; bars: number; pixels: number } | null = null;

function down(event: PointerEvent, index: number): void {
  const total = sections.value.reduce((sum, s) => sum + s.bars, 0);
  start = { x: event.clientX, bars: sections.value[index]!.bars, pixels: strip.value!.clientWidth / total };
  pulled.value = { index, bars: start.bars };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  event.stopPropagation();
}
function move(event: PointerEvent): void {
  if (!start || !pulled.value) return;
  pulled.value = {
    ...pulled.value,
    bars: Math.max(1, Math.min(2000, start.bars + Math.round((event.clientX - start.x) / start.pixels))),
  };
}
function up(): void {
  const now = pulled.value;
  pulled.value = null;
  start = null;
  if (now && sections.value[now.index]!.bars !== now.bars)
    set(sections.value.map((s, i) => (i === now.index ? { ...s, bars: now.bars } : s)));
}

let sortable: Sortable | undefined;
onMounted(() => {
  sortable = Sortable.create(strip.value!, {
    direction: 'horizontal',
    animation: 0,
    draggable: '.block',
    filter: '.end',
    preventOnFilter: false,
    onEnd: ({ oldDraggableIndex: from, newDraggableIndex: to, item }) => {
      if (from === undefined || to === undefined || from === to) return;
      // The strip is rendered from the song, so the dragged element is removed.
      item.remove();
      strip.value!.insertBefore(item, strip.value!.children[from] ?? null);
      const next = [...sections.value];
      next.splice(to, 0, ...next.splice(from, 1));
      set(next);
    },
  });
});
onBeforeUnmount(() => sortable?.destroy());

const setup = useSetup();
/** Goes to a section, and shows its fields. */
function go(index: number): void {
  setup.sectionId = sections.value[index]!.id;
  session.seek(sectionsOf(openSong.document, openSong.maps.meter)[index]!.from);
}
</script>

<template>
  <div v-show="sections.length" ref="strip" class="strip" aria-label="The form">
    <div v-for="(section, i) in sections" :key="section.id" class="block" :style="{ flexGrow: barsOf(section, i) }">
      <button class="name" v-hint="`${section.name}: go there`" @click="go(i)">
        <b class="names">{{ section.name }}</b><span class="figures">{{ barsOf(section, i) }}</span>
      </button>
      <i
        class="end"
        v-hint="`Drag to make ${section.name} longer or shorter`"
        @pointerdown="down($event, i)"
        @pointermove="move"
        @pointerup="up"
        @pointercancel="up"
      />
    </div>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  gap: 3px;
  height: 46px;
}
.block {
  position: relative;
  flex-basis: 0;
  min-width: 0;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-left: 3px solid var(--ink);
  border-radius: 6px;
  cursor: grab;
}
.name {
  display: grid;
  align-content: center;
  width: 100%;
  height: 100%;
  padding: 0 12px 0 8px;
  text-align: left;
  overflow: hidden;
  white-space: nowrap;
  font-size: 13px;
}
.name .figures {
  font-size: 11px;
  color: var(--ink-2);
}
.end {
  position: absolute;
  right: 0;
  top: 0;
  bottom: 0;
  width: 8px;
  cursor: ew-resize;
  touch-action: none;
}
.end:hover {
  background: var(--copper-soft);
}
</style>
