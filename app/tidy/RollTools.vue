<script setup lang="ts">
import { mdiMagnifyMinusOutline, mdiMagnifyPlusOutline, mdiFitToPageOutline } from '@mdi/js';
import { computed } from 'vue';
import { PEDAL, SHAPES } from '~~/core/editing/lanes';
import type { Lane } from '~~/core/performance/controls';
import { laneWords } from '~~/core/recording/brief';
import { GRIDS, gridWords } from '~~/core/timing/grid';
import { atHand } from '~~/core/document/part';
import { vHint } from '~/controls/hint';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useRollView } from './rollView';
import { TOOLS, useTidy, type Snap, type Tool } from './tidy';
import type { LaneTool } from './useRollPointer';

/** Tools of the roll: the pointer's mode, the snap, and what is shown. */
const laneTool = defineModel<LaneTool>('laneTool', { required: true });
const beneath = defineModel<string>('beneath', { required: true });
const shows = defineModel<string>('shows', { required: true });
const list = defineModel<boolean>('list', { required: true });
const asked = defineModel<readonly Lane[]>('asked', { required: true });
const props = defineProps<{
  lanes: readonly Lane[];
  /** True while a lane other than the pedal is shown, which can be drawn in. */
  draws: boolean;
}>();
const emit = defineEmits<{ bars: []; lane: [act: string, lane: Lane] }>();
const tidy = useTidy();
const view = useRollView();
const reading = useReading();
const openSong = useOpenSong();
const ZOOM = 0.6;

const TOOL_WORDS: Readonly<Record<Tool, readonly [string, string]>> = {
  point: ['Point', 'Select, move, lengthen; draw a frame round several'],
  draw: ['Draw', 'Notes where there are none'],
  cut: ['Cut', 'Notes in two'],
};
const capital = (words: string): string => words[0]!.toUpperCase() + words.slice(1);
const snaps = computed(() => [
  { value: 'bar', title: 'Bars' },
  { value: 'beat', title: 'Beats' },
  ...GRIDS.filter((g) => !g.includes('quintuplet')).map((g) => ({
    value: g as string,
    title: capital(gridWords(g)),
  })),
  { value: 'tick', title: 'Ticks' },
  { value: 'free', title: 'Anywhere' },
]);
const snap = computed({
  get: () => (tidy.snap === 'grid' ? tidy.grid : tidy.snap),
  set: (value: string) => {
    const grid = GRIDS.find((g) => g === value);
    if (grid) [tidy.snap, tidy.grid] = ['grid', grid];
    else tidy.snap = value as Snap;
  },
});
const takes = computed(() => reading.shown?.takes ?? []);
const showable = computed(() => [
  { value: '', title: 'The line' },
  ...takes.value.map((t) => ({ value: t.id, title: `Take ${t.number}${t.name ? `, ${t.name}` : ''}` })),
]);
const beneaths = computed(() => [
  { value: '', title: 'Alone' },
  ...takes.value.map((t) => ({ value: t.id, title: `Take ${t.number} beneath` })),
  ...atHand(openSong.document.parts)
    .filter((p) => p.id !== reading.shown?.id)
    .map((p) => ({ value: `part ${p.id}`, title: `${p.name} beneath` })),
]);
const ways = [
  { value: 'free' as const, title: 'Freehand' },
  ...SHAPES.map((value) => ({
    value,
    title: { line: 'A line', 'slow start': 'Slow start', 'slow end': 'Slow end', both: 'Slow both' }[value],
  })),
];
const MORE: readonly Lane[] = [
  PEDAL,
  'bend',
  'control 1',
  'control 11',
  'pressure',
  'control 7',
  'control 66',
  'control 67',
];
const others = computed(() => MORE.filter((l) => !props.lanes.includes(l)));
const ACTS = [
  'Clear',
  'A quarter less',
  'A quarter more',
  'Up',
  'Down',
  'Copy',
  'Paste at the playhead',
  'Give back as played',
  'Record over it',
];
</script>

<template>
  <div class="tools">
    <ChoiceGroup label="What the pointer does">
      <Choice v-for="t in TOOLS" :key="t" :on="tidy.tool === t" v-hint="TOOL_WORDS[t][1]" @click="tidy.tool = t">{{
        TOOL_WORDS[t][0]
      }}</Choice>
    </ChoiceGroup>
    <SmallSelect v-model="snap" :items="snaps" label="Where notes snap" />
    <v-btn
      size="small"
      density="compact"
      variant="text"
      :icon="mdiMagnifyMinusOutline"
      aria-label="Zoom out"
      v-hint="'Zoom out (<)'"
      @click="view.zoom(1 / ZOOM)"
    />
    <v-btn
      size="small"
      density="compact"
      variant="text"
      :icon="mdiMagnifyPlusOutline"
      aria-label="Zoom in"
      v-hint="'Zoom in (>); a wheel with Ctrl'"
      @click="view.zoom(ZOOM)"
    />
    <v-btn
      size="small"
      density="compact"
      variant="text"
      :icon="mdiFitToPageOutline"
      aria-label="Zoom to selection"
      v-hint="'Zoom to selection, or to everything (*)'"
      @click="view.showNotes(tidy.selection)"
    />
    <Choice
      :on="view.follows"
      v-hint="'The roll turns its page with the playhead'"
      @click="view.follows = !view.follows"
      >Follow</Choice
    >
    <span class="space" />
    <Popup label="Controllers">
      <template #activator="{ props: menu }"><v-btn v-bind="menu" size="small">Controllers</v-btn></template>
      <SmallSelect v-if="draws" v-model="laneTool" :items="ways" label="How they are drawn" />
      <div v-for="lane in lanes" :key="lane" class="lane">
        <b>{{ laneWords(lane) }}</b>
        <div class="choices">
          <v-btn v-for="a in ACTS" :key="a" size="x-small" @click="emit('lane', a, lane)">{{ a }}</v-btn>
        </div>
      </div>
      <div class="choices">
        <v-btn v-for="lane in others" :key="lane" size="x-small" @click="asked = [...asked, lane]"
          >Show {{ laneWords(lane) }}</v-btn
        >
      </div>
      <p class="quiet">
        These are done in the bars that are shown above. Drawing is done on the roll, under the notes.
      </p>
    </Popup>
    <SmallSelect v-model="shows" :items="showable" label="What is shown" />
    <SmallSelect v-model="beneath" :items="beneaths" label="Outlined beneath" />
    <v-btn size="small" :disabled="!reading.shown?.comp.length" @click="emit('bars')">Bars</v-btn>
    <Choice :on="list" @click="list = !list">List</Choice>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
.tools > .small-select {
  flex: 0 0 116px;
}
.space {
  flex: 1;
}
.lane {
  display: grid;
  gap: 4px;
}
</style>
