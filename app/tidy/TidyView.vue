<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { atHand } from '~~/core/document/part';
import { rangeWords } from '~~/core/time/words';
import { auditioned } from '~~/core/picking/audition';
import { lineOf } from '~~/core/song/reading';
import { sectionsOf } from '~~/core/document/maps';
import { gridWords } from '~~/core/timing/grid';
import { layTreatment, treatmentsIn, type Recipe } from '~~/core/timing/treatment';
import { treatedWords } from '~~/core/timing/words';
import { secondsAt } from '~~/core/time/tempo';
import { inRange, type TickRange } from '~~/core/time/units';
import { useReading } from '~/song/reading';
import { PART_INKS } from '~/drawing/inks';
import { useKeyboards } from '~/keyboards/keyboards';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';

const song = useSong();

const reading = useReading();
const session = useSession();
const roll = useRoll();
const keyboards = useKeyboards();

const USUAL: Recipe = { grid: '16 straight', strength: 0.7, ends: 'keep length' };
const part = computed(() => reading.shown);
const whole = computed((): TickRange => ({ from: 0, to: reading.maps!.end }));
const chosen = ref<TickRange | null>(null);
const stretch = computed(() => chosen.value ?? whole.value);
const sections = computed(() => sectionsOf(song.document!, reading.maps!.meter).filter((s) => s.name));
/** The bars selected on the chart, where they are not simply a section. */
const selected = computed(() => {
  const range = song.document!.brief.range;
  return range && !sections.value.some((s) => s.from === range.from && s.to === range.to) ? range : null;
});
const isChosen = (range: TickRange) => stretch.value.from === range.from && stretch.value.to === range.to;

/** The recipe over all of the stretch and all that is heard there, or null. */
const inForce = computed(
  () =>
    part.value?.treatments.find((t) => !t.layers && t.from <= stretch.value.from && t.to >= stretch.value.to) ?? null,
);
/** What else is treated in the stretch, in words. */
const others = computed(() => {
  const there = treatmentsIn(part.value?.treatments ?? [], stretch.value).filter((t) => t !== inForce.value);
  return treatedWords(there, stretch.value, reading.maps!.meter);
});
const draft = ref<Recipe | null>(null);
const recipe = computed(() => draft.value ?? inForce.value);
let settle: ReturnType<typeof setTimeout> | undefined;

/** Shown and heard while it is set; kept, as one change to undo, once the hand rests. */
const RESTS_AFTER_MS = 500;
function set(to: Recipe): void {
  const p = part.value;
  if (!p) return;
  draft.value = { grid: to.grid, strength: to.strength, ends: to.ends };
  const treatments = layTreatment(p.treatments, { id: 'preview', ...stretch.value, ...draft.value });
  roll.preview = { part: p.id, line: lineOf(p, reading.readTake, reading.maps!.meter, treatments) };
  clearTimeout(settle);
  settle = setTimeout(keep, RESTS_AFTER_MS);
}

function keep(): void {
  clearTimeout(settle);
  const p = part.value;
  if (p && draft.value) {
    song.run({ type: 'treat', part: p.id, treatment: { id: crypto.randomUUID(), ...stretch.value, ...draft.value } });
  }
  draft.value = null;
  roll.preview = null;
}
function takeOff(): void {
  keep();
  if (part.value) song.run({ type: 'take treatment off', part: part.value.id, range: stretch.value });
}
function choose(range: TickRange | null): void {
  keep();
  chosen.value = range;
  if (range && !inRange(roll.playhead, range)) session.seek(range.from);
}
watch(
  () => part.value?.id,
  (_, before) => {
    if (before) {
      draft.value = null;
      roll.preview = null;
      clearTimeout(settle);
    }
  },
);
onBeforeUnmount(keep);

/** Two takes that were compared: the one in place of the line, the other in pencil beneath it. */
const compared = computed(() => {
  const asked = reading.compared;
  const p = part.value;
  if (!p || asked?.part !== p.id) return null;
  const [take, beneath] = [asked.take, asked.beneath].map((id) => p.takes.find((t) => t.id === id));
  return take && beneath ? { take, beneath } : null;
});
const beneath = computed(() => (compared.value ? reading.readTake(compared.value.beneath).notes : []));
const line = computed(() => {
  const p = part.value;
  if (!p) return { notes: [], controls: [] };
  if (compared.value) {
    const alone = auditioned(p, { takeId: compared.value.take.id, stretch: null });
    return lineOf(alone, reading.readTake, reading.maps!.meter, []);
  }
  return (roll.preview?.part === p.id ? roll.preview.line : reading.lines.get(p.id))!;
});

/** How far strikes lie from where they are treated to, in the stretch. */
const moved = computed(() => {
  const { tempo } = reading.maps!;
  const notes = line.value.notes.filter((n) => inRange(n.played.start, stretch.value));
  const by = notes.map((n) => (secondsAt(tempo, n.start) - secondsAt(tempo, n.played.start)) * 1000);
  const most = by.reduce((m, x) => (Math.abs(x) > Math.abs(m) ? x : m), 0);
  return {
    count: notes.length,
    changed: by.filter((x) => Math.abs(x) > 0.05).length,
    most: Math.round(Math.abs(most)),
  };
});
const ENDS = {
  'keep length': 'keep their length',
  'keep end': 'stay where they end',
  'snap length': 'get a length of the grid',
  'snap end': 'end on the grid',
} as const;
const stretchWords = computed(() => (chosen.value ? rangeWords(stretch.value, reading.maps!.meter) : 'the whole song'));
</script>

<template>
  <div class="tidy">
    <section class="brief sheet" aria-label="Timing">
      <span class="label">Timing</span>
      <p class="sentence names">
        <template v-if="!part">This song has no parts yet.</template>
        <template v-else-if="recipe">
          Pull <b :style="{ color: PART_INKS[part.ink] }">{{ part.name }}</b>, <b>{{ stretchWords }}</b>,
          <b>{{ Math.round(recipe.strength * 100) }}%</b> of the way to <b>{{ gridWords(recipe.grid) }}</b>; notes
          <b>{{ ENDS[recipe.ends] }}</b><template v-if="others && !draft">; besides, {{ others }}</template
          >.
        </template>
        <template v-else-if="others"
          ><b :style="{ color: PART_INKS[part.ink] }">{{ part.name }}</b
          >, <b>{{ stretchWords }}</b>: {{ others }}; the rest as played.</template
        >
        <template v-else
          ><b :style="{ color: PART_INKS[part.ink] }">{{ part.name }}</b
          >, <b>{{ stretchWords }}</b>: as played, with no treatment.</template
        >
      </p>
    </section>
    <div class="roll-and-words">
      <p v-if="compared" class="compared" role="status">
        Take {{ compared.take.number }}, with take {{ compared.beneath.number }} in pencil beneath.
        <v-btn size="x-small" @click="reading.compared = null">Back to the line</v-btn>
      </p>
      <PianoRoll :line="line" :beneath="beneath" :grid="recipe?.grid ?? null" />
    </div>
    <aside class="side">
      <div class="label">Part</div>
      <ChoiceGroup label="Part">
        <Choice
          v-for="p in atHand(song.document!.parts)"
          :key="p.id"
          :on="part?.id === p.id"
          @click="
            keep();
            reading.shownId = p.id;
          "
          >{{ p.name }}</Choice
        >
      </ChoiceGroup>
      <div class="label">Stretch</div>
      <ChoiceGroup label="Stretch">
        <Choice :on="!chosen" @click="choose(null)">The whole song</Choice>
        <Choice v-if="selected" :on="isChosen(selected)" @click="choose(selected)"
          >Selected {{ rangeWords(selected, reading.maps!.meter) }}</Choice
        >
        <Choice v-for="s in sections" :key="s.firstBar" :on="isChosen(s)" @click="choose({ from: s.from, to: s.to })">{{
          s.name
        }}</Choice>
      </ChoiceGroup>
      <div class="label">Treatment</div>
      <div class="sheet panel">
        <template v-if="recipe">
          <RecipeFields :model-value="recipe" @update:model-value="set" />
          <v-btn size="small" @click="takeOff">Take it off</v-btn>
        </template>
        <template v-else>
          <p v-if="others" class="quiet">
            Only some of it is treated. One recipe can take the place of what is there, or all of it be taken off.
          </p>
          <p v-else class="quiet">Nothing is moved here. A treatment can always be taken off again.</p>
          <v-btn v-if="others" size="small" @click="takeOff">Take it off</v-btn>
          <v-btn
            :disabled="!part || line.notes.length === 0"
            @click="
              set(USUAL);
              keep();
            "
            >Treat this stretch</v-btn
          >
        </template>
      </div>
      <p class="facts">
        <b class="figures">{{ moved.changed }}</b> of <b class="figures">{{ moved.count }}</b> notes moved,
        <b class="figures">{{ moved.most }} ms</b> at most. Hold
        <kbd class="key">{{ keyboards.computerPlays ? 'Ctrl B' : 'B' }}</kbd> to see and hear it as played.
      </p>
    </aside>
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
.roll-and-words {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  min-height: 0;
  min-width: 0;
}
.roll-and-words > :last-child {
  grid-row: 2;
}
.compared {
  margin: 0 0 8px;
  font-size: 13px;
}
.side {
  display: grid;
  gap: 6px;
  align-content: start;
  overflow: auto;
  min-height: 0;
}
.panel {
  padding: 12px;
  display: grid;
  gap: 10px;
}
.panel p {
  margin: 0;
  font-size: 13px;
}
.facts {
  margin: 4px 2px;
  font-size: 13px;
}
.key {
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 0 5px;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .tidy {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    height: auto;
  }
}
</style>
