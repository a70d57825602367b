<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue';
import { many } from '~~/core/vocabulary/many';
import {
  clearLane,
  cutOut,
  drawLane,
  giveLaneBack,
  lanesOf,
  scaleLane,
  scaleOf,
  PEDAL,
  type Point,
} from '~~/core/editing/lanes';
import { atHand } from '~~/core/document/part';
import { sectionsOf } from '~~/core/document/maps';
import type { Lane } from '~~/core/performance/controls';
import { laneWords } from '~~/core/recording/brief';
import { rangeWords } from '~~/core/time/words';
import { inRange, type TickRange } from '~~/core/time/units';
import type { Recipe } from '~~/core/timing/recipe';
import { extrasOf, recipeWords } from '~~/core/timing/words';
import { TOKENS } from '~/drawing/inks';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import BarsDialog from './BarsDialog.vue';
import EventList from './EventList.vue';
import HandPanel from './HandPanel.vue';
import MendPanel from './MendPanel.vue';
import RollTools from './RollTools.vue';
import EarPanel from './EarPanel.vue';
import TimingPanel from './TimingPanel.vue';
import { useEar } from './ear';
import { useTidy } from './tidy';
import type { LaneTool } from './useRollPointer';

const openSong = useOpenSong();
const reading = useReading();
const session = useSession();
const notices = useNotices();
const roll = useRoll();
const tidy = useTidy();
const ear = useEar();

const PAGES = ['Timing', 'Your ear', 'By hand', 'Mends'] as const;
/** Page in the URL: other stations link to one. */
const asks = useRoute().query.page;
const page = ref(PAGES.find((p) => p === asks) ?? 'Timing');
const part = computed(() => reading.shown);
const whole = computed((): TickRange => ({ from: 0, to: openSong.maps.end }));
const chosen = ref<TickRange | null>(null);
const shownRange = computed(() => chosen.value ?? whole.value);
const sections = computed(() => sectionsOf(openSong.document, openSong.maps.meter).filter((s) => s.name));
/** Bars selected on the chart, unless they are a section. */
const selected = computed(() => {
  const range = openSong.document.brief.range;
  return range && !sections.value.some((s) => s.from === range.from && s.to === range.to) ? range : null;
});
const timing = ref<InstanceType<typeof TimingPanel> | null>(null);
const recipe = ref<Recipe | null>(null);
const others = ref('');
const whose = ref('');
function choose(range: TickRange | null): void {
  timing.value?.keep();
  chosen.value = range;
  if (range && !inRange(roll.playhead, range)) session.seek(range.from);
}
const ranges = computed(() => [
  { value: 'whole', title: 'The whole song', range: null },
  ...(selected.value
    ? [
        {
          value: 'selected',
          title: `Selected ${rangeWords(selected.value, openSong.maps.meter)}`,
          range: selected.value,
        },
      ]
    : []),
  ...sections.value.map((s) => ({ value: `${s.firstBar}`, title: s.name, range: { from: s.from, to: s.to } })),
]);
const isChosen = (range: TickRange | null) =>
  range === null ? !chosen.value : shownRange.value.from === range.from && shownRange.value.to === range.to;
function show(id: string): void {
  timing.value?.keep();
  reading.shownId = id;
}

/** Take that is shown instead of the line, and what is drawn beneath it. */
const beneath = ref('');
const shows = computed({
  get: () => (reading.compared?.part === part.value?.id ? (reading.compared?.take ?? '') : ''),
  set: (take: string) => {
    reading.compared = take && part.value ? { part: part.value.id, take, beneath: '' } : null;
  },
});
watch(
  () => reading.compared,
  (now) => {
    if (now?.beneath) beneath.value = now.beneath;
  },
  { immediate: true },
);
const pencil = computed(() => {
  if (beneath.value.startsWith('part ')) return reading.lines.get(beneath.value.slice(5))?.notes ?? [];
  const take = part.value?.takes.find((t) => t.id === beneath.value);
  return take ? reading.readTake(take).notes : [];
});
/** Words for what is shown with a single take. */
const besides = computed(() => {
  const other = part.value?.takes.find((t) => t.id === beneath.value);
  return other ? `with take ${other.number} beneath` : 'all of it, whether it is picked or not';
});
function backToLine(): void {
  shows.value = '';
  beneath.value = '';
}
const shownTake = computed(() => part.value?.takes.find((t) => t.id === shows.value) ?? null);

const asked = shallowRef<readonly Lane[]>([]);
/** Most lanes on screen. */
const MOST_LANES = 4;
const lanes = computed((): readonly Lane[] => {
  const there = lanesOf(tidy.shown?.line.controls ?? []).filter((l) => !l.startsWith('keyPressure'));
  return [...new Set([...asked.value, ...there])]
    .slice(0, MOST_LANES)
    .sort((a, b) => Number(b === PEDAL) - Number(a === PEDAL));
});
const laneTool = ref<LaneTool>('free');
const copied = shallowRef<readonly Point[]>([]);
/** Step of a lane: a sixteenth of its range. */
const shift = (lane: Lane, way: 'Up' | 'Down'): number =>
  Math.round((scaleOf(lane).most + 1) / 16) * (way === 'Up' ? 1 : -1);
function onLane(act: string, lane: Lane): void {
  const p = tidy.part;
  const { shown } = tidy;
  if (!p || !shown) return;
  const range = shownRange.value;
  const words = laneWords(lane);
  if (act === 'Clear') tidy.change(`clearing ${words}`, clearLane(p, lane, range));
  else if (act === 'A quarter less') tidy.change(`scaling ${words}`, scaleLane(p, lane, range, 0.75, 0));
  else if (act === 'A quarter more') tidy.change(`scaling ${words}`, scaleLane(p, lane, range, 1.25, 0));
  else if (act === 'Up' || act === 'Down')
    tidy.change(`moving ${words}`, scaleLane(p, lane, range, 1, shift(lane, act)));
  else if (act === 'Give back as played') tidy.change(`giving ${words} back`, giveLaneBack(p, lane, range));
  else if (act === 'Copy') {
    copied.value = cutOut(shown.line.controls, lane, range);
    notices.say(`${words} copied from ${rangeWords(range, openSong.maps.meter)}.`, 'plain');
  } else if (act === 'Record over it') {
    openSong.setBrief({ part: p.id, ride: lane, mode: 'replace' });
    notices.say(
      `The next pass records ${words} alone, over what is there. Record starts it; Play has the brief.`,
      'plain',
    );
  } else if (copied.value.length > 0) {
    const at = Math.round(roll.playhead);
    const last = copied.value.at(-1)![0];
    const points = copied.value.map(([t, v]) => [t + at, v] as const);
    tidy.change(`pasting ${words}`, drawLane(p, lane, { from: at, to: at + last + 1 }, points));
  } else notices.say('No controller was copied yet.', 'plain');
}

const list = ref(false);
const bars = ref(false);
const marked = shallowRef<ReadonlySet<string>>(new Set());
watch(page, () => (marked.value = new Set()));
const ENDS = {
  'keep length': 'keep their length',
  'keep end': 'stay where they end',
  'snap length': 'get a length of the grid',
  'snap end': 'end on the grid',
} as const;
/** Words such as "70% of the way to sixteenths". */
const pullWords = (to: Recipe): string =>
  to.way === 'steady' ? recipeWords(to) : recipeWords(to).replace('%', '% of the way');
const shownWords = computed(() =>
  chosen.value ? rangeWords(shownRange.value, openSong.maps.meter) : 'the whole song',
);
const byHand = computed(() => tidy.wordsIn(shownRange.value));
</script>

<template>
  <div class="tidy">
    <section class="brief sheet" aria-label="Timing">
      <span class="label">Timing</span>
      <p class="sentence names">
        <template v-if="!part">{{ reading.noPart }}</template>
        <template v-else-if="recipe">
          {{ recipe.way === 'steady' ? 'Steady' : 'Pull' }}
          <b :style="{ color: TOKENS[part.ink] }">{{ part.name }}</b><template v-if="whose">, {{ whose }}</template
          >, <b>{{ shownWords }}</b>, <b>{{ pullWords(recipe) }}</b>; notes <b>{{ ENDS[recipe.ends] }}</b><template
            v-for="extra in extrasOf(recipe)"
            :key="extra"
            >, {{ extra }}</template
          ><template v-if="others">; besides, {{ others }}</template
          >.
        </template>
        <template v-else-if="others"
          ><b :style="{ color: TOKENS[part.ink] }">{{ part.name }}</b
          >, <b>{{ shownWords }}</b>: {{ others }}; the rest untreated.</template
        >
        <template v-else
          ><b :style="{ color: TOKENS[part.ink] }">{{ part.name }}</b
          >, <b>{{ shownWords }}</b>: untreated.</template
        >
        <template v-if="reading.unfound.has(part?.id ?? '')"
          ><span role="status"
            >{{ ' ' }}The lines of {{ many(tidy.notes.length, 'note') }} are being found.</span
          ></template
        >
        <template v-if="ear.all.length > 0"
          >{{ ' '
          }}<button class="opener ear" @click="page = 'Your ear'">
            {{ many(ear.all.length, 'place') }} {{ ear.all.length === 1 ? 'needs' : 'need' }} your ear</button
          >.</template
        >
        <template v-if="byHand"
          >{{ byHand.includes('by hand') ? ' ' : ' By hand: '
          }}<button class="opener" @click="page = 'By hand'">{{ byHand }}</button>.</template
        >
      </p>
    </section>
    <div class="middle">
      <RollTools
        v-model:lane-tool="laneTool"
        v-model:beneath="beneath"
        v-model:shows="shows"
        v-model:list="list"
        v-model:asked="asked"
        :lanes="lanes"
        :draws="lanes.some((l) => l !== PEDAL)"
        @bars="bars = true"
        @lane="onLane"
      />
      <p v-if="shownTake" class="compared" role="status">
        Take {{ shownTake.number }}, {{ besides }}.
        <v-btn size="x-small" @click="backToLine">Back to the line</v-btn>
      </p>
      <div class="sheets" :class="{ both: list }">
        <PianoRoll
          :beneath="pencil"
          :grid="recipe?.grid ?? (tidy.snap === 'grid' ? tidy.grid : null)"
          :lanes="lanes"
          :lane-tool="laneTool"
          :marked="page === 'Your ear' ? ear.marked : marked"
          :doubtful="ear.ids"
        />
        <EventList v-if="list" :range="shownRange" />
      </div>
    </div>
    <aside class="side">
      <SmallSelect
        :model-value="part?.id ?? ''"
        :items="atHand(openSong.document.parts).map((p) => ({ value: p.id, title: p.name }))"
        label="Part"
        @update:model-value="show"
      />
      <SmallSelect
        :model-value="ranges.find((s) => isChosen(s.range))?.value ?? 'whole'"
        :items="ranges"
        label="Bars"
        @update:model-value="(value: string) => choose(ranges.find((s) => s.value === value)?.range ?? null)"
      />
      <PageTabs v-model="page" label="What is tidied" :pages="PAGES" />
      <TimingPanel
        v-show="page === 'Timing'"
        ref="timing"
        v-model:recipe="recipe"
        v-model:others="others"
        v-model:whom="whose"
        :range="shownRange"
      />
      <EarPanel v-if="page === 'Your ear'" />
      <HandPanel v-if="page === 'By hand'" :range="shownRange" />
      <MendPanel v-if="page === 'Mends'" v-model:marked="marked" :range="shownRange" />
    </aside>
    <v-dialog v-model="bars" max-width="520" aria-label="Bars"
      ><BarsDialog v-if="bars" :range="chosen ?? { from: 0, to: Math.min(whole.to, 4 * 3840) }" @close="bars = false"
    /></v-dialog>
  </div>
</template>

<style scoped>
.tidy {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr) 292px;
  gap: 10px 16px;
  height: 100%;
}
.brief {
  grid-column: 1 / -1;
}
/* Two lines, whatever they say: nothing under the hand moves when a change by hand is added to them. */
.sentence {
  min-height: 56px;
  align-content: center;
}
.ear {
  color: var(--copper-ink);
}
.middle {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  min-width: 0;
}
.sheets {
  flex: 1;
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  gap: 8px;
  min-height: 0;
}
.sheets.both {
  grid-template-rows: minmax(0, 1fr) minmax(0, 1fr);
}
.compared {
  margin: 0;
  font-size: 13px;
}
.side {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 6px;
  align-content: start;
  overflow: auto;
  min-height: 0;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .tidy {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    height: auto;
  }
  .sheets {
    min-height: 420px;
  }
}
</style>
