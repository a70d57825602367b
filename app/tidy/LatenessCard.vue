<script setup lang="ts">
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
} from 'chart.js';
import type { ChartConfiguration } from 'chart.js';
import { watchDebounced } from '@vueuse/core';
import { computed, ref, shallowRef } from 'vue';
import { decidedOf, untreatedLine } from '~~/core/reading/reading';
import { figuresOf, heldAgainst, histogramOf, isDriftTold, lateNow, type Lateness } from '~~/core/timing/lateness';
import { lineWords } from '~~/core/timing/words';
import { barAt } from '~~/core/time/meter';
import type { TickRange } from '~~/core/time/units';
import { TOKENS } from '~/drawing/inks';
import { useChart } from '~/drawing/useChart';
import { vHint } from '~/controls/hint';
import { useKeyboards } from '~/keyboards/keyboards';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { findLateness } from '~/timing/findingLateness';
import { useRoll } from '~/transport/roll';
import { useShortcuts } from '~/shell/useShortcuts';
import { TIMING_VIEWS, type TimingView } from '~/transport/roll';
import { useTidy } from './tidy';

/** Chart of how late notes are, as played and as treated: all, one hand's, by place in the bar, or along the song. */
const props = defineProps<{ range: TickRange; split: number }>();
const tidy = useTidy();
const reading = useReading();
const openSong = useOpenSong();
const roll = useRoll();
const keyboards = useKeyboards();
const canvas = ref<HTMLCanvasElement | null>(null);
Chart.register(BarController, BarElement, CategoryScale, LinearScale, LineController, LineElement, PointElement);

const [MOST_MS, STEPS] = [60, 24];
const RESTS_MS = 120;
const whose = ref('all');
const all = shallowRef<readonly Lateness[]>([]);
let asked = 0;
async function find(): Promise<void> {
  asked += 1;
  const own = asked;
  const { part, shown, treatments } = tidy;
  const { maps } = reading;
  const line = shown?.line;
  if (!part || !line || !maps) {
    all.value = [];
    return;
  }
  const groups = heldAgainst(untreatedLine(part, reading.readTake), treatments);
  const found = await findLateness(groups, openSong.document, maps, decidedOf(part));
  // A result for older notes is not shown.
  if (own === asked) all.value = lateNow(found, line, maps, props.range);
}
watchDebounced(
  () => [tidy.part, tidy.shown?.line, tidy.treatments, reading.maps, props.range] as const,
  () => void find(),
  { debounce: RESTS_MS, immediate: true },
);
const places = computed(() => {
  const { meter } = openSong.maps;
  const known = new Map<number, string>();
  for (const l of all.value) known.set(Math.round(l.inBar), lineWords(l.line, meter));
  return [...known].sort(([a], [b]) => a - b).map(([at, words]) => ({ value: `at ${at}`, title: `On ${words}` }));
});
const choices = computed(() => [
  ...[
    { value: 'all', title: 'All notes' },
    { value: 'left', title: 'Left hand' },
    { value: 'right', title: 'Right hand' },
    { value: 'drift', title: 'Drift over the song' },
  ],
  ...places.value,
]);
const own = computed(() => {
  const [asked, { split }] = [whose.value, props];
  if (asked === 'left') return all.value.filter(({ note }) => note.key < split);
  if (asked === 'right') return all.value.filter(({ note }) => note.key >= split);
  if (!asked.startsWith('at ')) return all.value;
  const place = Number(asked.slice(3));
  return all.value.filter(({ inBar }) => Math.round(inBar) === place);
});
const was = computed(() => figuresOf(own.value.map((l) => l.ms)));
const is = computed(() => figuresOf(own.value.map((l) => l.now)));
const lateWords = (ms: number): string => {
  const by = Math.round(ms);
  return by === 0 ? 'on the line' : `${Math.abs(by)} ms ${by < 0 ? 'early' : 'late'}`;
};
const ink = computed(() => TOKENS[tidy.part?.ink ?? 'sea']);

const words = computed(
  () =>
    `${own.value.length} notes and chords. As played ${lateWords(was.value.median)}, half of them within ` +
    `${Math.round(was.value.spread)} ms of that; now ${lateWords(is.value.median)}, ` +
    `within ${Math.round(is.value.spread)} ms.`,
);
const onsets = computed((): ChartConfiguration<'bar' | 'line'> => ({
  type: 'bar',
  data: {
    labels: Array.from({ length: STEPS }, (_, i) => Math.round(-MOST_MS + ((i + 0.5) * 2 * MOST_MS) / STEPS)),
    datasets: [
      {
        data: histogramOf(
          own.value.map((l) => l.now),
          MOST_MS,
          STEPS,
        ),
        backgroundColor: ink.value,
        ...{ grouped: false, categoryPercentage: 1, barPercentage: 0.8, order: 2 },
      },
      {
        data: histogramOf(
          own.value.map((l) => l.ms),
          MOST_MS,
          STEPS,
        ),
        backgroundColor: 'transparent',
        borderColor: TOKENS.ink2,
        borderWidth: 1,
        ...{ grouped: false, categoryPercentage: 1, barPercentage: 1, order: 1 },
      },
    ],
  },
  options: {
    maintainAspectRatio: false,
    events: [],
    scales: {
      x: {
        grid: { display: false },
        ticks: {
          ...{ font: { size: 9 }, maxRotation: 0, autoSkip: false },
          callback: (_, i) => ({ 2: '50 early', 12: '0', 21: '50 late' })[i] ?? '',
        },
      },
      y: { display: false },
    },
  },
}));
const drift = computed((): ChartConfiguration<'bar' | 'line'> => {
  const { meter } = openSong.maps;
  const step = Math.max(1, Math.ceil(all.value.length / 200));
  const some = all.value.filter((_, i) => i % step === 0);
  return {
    type: 'line',
    data: {
      labels: some.map((l) => barAt(meter, l.note.start)),
      datasets: [
        {
          type: 'line',
          data: some.map((l) => l.ms),
          ...{ showLine: false, pointRadius: 1.2, backgroundColor: TOKENS.ink2 },
        },
        {
          type: 'line',
          data: some.map((l) => l.drift),
          ...{ borderColor: TOKENS.copper, borderWidth: 2, pointRadius: 0 },
        },
      ],
    },
    options: {
      maintainAspectRatio: false,
      events: [],
      scales: {
        x: { grid: { display: false }, ticks: { font: { size: 9 }, maxRotation: 0, autoSkip: true } },
        y: { ticks: { font: { size: 9 }, maxTicksLimit: 5, callback: (ms: number | string) => `${ms} ms` } },
      },
    },
  };
});
const isDrift = computed(() => whose.value === 'drift');
useChart<'bar' | 'line'>(canvas, () => (isDrift.value ? drift.value : onsets.value));

const HEARD: Readonly<Record<TimingView, string>> = { treated: 'treated', half: 'half', played: 'untreated' };
const next = (): void => {
  roll.timingView = TIMING_VIEWS[(TIMING_VIEWS.indexOf(roll.timingView) + 1) % TIMING_VIEWS.length]!;
};
useShortcuts({ t: next });
/** Sentence where the looseness is too large to find a drift in it; empty otherwise. */
const evenWords = computed(() => {
  if (all.value.length === 0 || isDriftTold(all.value)) return '';
  const by = Math.round(all.value[0]!.drift);
  const moves = by === 0 ? 'steadying moves nothing' : `steadying moves all notes by ${Math.abs(by)} ms alike`;
  return `No drift can be told from looseness here: ${moves}.`;
});
const isSteadied = computed(() => tidy.treatments.some((t) => t.way === 'steady'));
const driftWords = computed(() => {
  if (evenWords.value) return evenWords.value;
  const most = all.value.reduce((m, l) => (Math.abs(l.drift) > Math.abs(m) ? l.drift : m), 0);
  return `The slow drift of the hand over the song, ${lateWords(most)} where it is furthest.`;
});
</script>

<template>
  <section aria-label="Early and late">
    <div class="line">
      <span class="label">Early and late</span>
      <SmallSelect v-model="whose" :items="choices" label="Whose notes" class="whose" />
    </div>
    <div class="sheet card">
      <div class="canvas"><canvas ref="canvas" role="img" :aria-label="isDrift ? driftWords : words" /></div>
      <p class="facts">
        <template v-if="isDrift">{{ driftWords }}</template>
        <template v-else>
          Played {{ lateWords(was.median) }} ±{{ Math.round(was.spread) }}; now {{ lateWords(is.median) }} ±{{
            Math.round(is.spread)
          }}
        </template>
      </p>
      <p v-if="isSteadied && evenWords && !isDrift" class="facts quiet">{{ evenWords }}</p>
      <div class="choices" role="group" aria-label="What is heard">
        <Choice v-for="h in TIMING_VIEWS" :key="h" :on="roll.timingView === h" @click="roll.timingView = h">{{
          HEARD[h]
        }}</Choice>
        <kbd v-hint="'T goes from one to the next; hold B to see and hear it untreated'">{{
          keyboards.computerPlays ? 'Ctrl T, B' : 'T, B'
        }}</kbd>
      </div>
    </div>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
}
.whose {
  max-width: 170px;
}
.card {
  padding: 8px 10px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 4px;
}
.canvas {
  position: relative;
  height: 70px;
}
.facts {
  margin: 0;
  font-size: 12.5px;
}
.choices {
  align-items: center;
}
kbd {
  color: var(--ink-2);
  opacity: 1;
}
</style>
