<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { lineOf } from '~~/core/reading/reading';
import { idsOf, noteSet } from '~~/core/performance/noteSet';
import { keyName } from '~~/core/performance/messages';
import { applyTreatment, sameScope, treatmentsIn, type Scope, type Treatment } from '~~/core/timing/treatments';
import { recipeOf, STEADIED, USUAL, type Recipe } from '~~/core/timing/recipe';
import { treatedWords } from '~~/core/timing/words';
import type { Milliseconds, TickRange } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useRoll } from '~/transport/roll';
import { findLines } from '~/song/findingLines';
import { useTidy } from './tidy';

/** Timing recipe of a range: of all notes in it, of one hand, or of selected notes. */
const props = defineProps<{ range: TickRange }>();
/** Recipe in the fields: the one that is being set, or the one in force. */
const shown = defineModel<Recipe | null>('recipe', { required: true });
const others = defineModel<string>('others', { required: true });
const whoseWords = defineModel<string>('whom', { required: true });
const song = useSong();
const openSong = useOpenSong();
const reading = useReading();
const roll = useRoll();
const tidy = useTidy();

const WHOSE = ['All', 'Left', 'Right', 'Selected'] as const;
const whose = ref<(typeof WHOSE)[number]>('All');
/** Lowest key of the right hand. */
const split = ref(60);
const splits = Array.from({ length: 49 }, (_, i) => ({ value: 36 + i, title: `from ${keyName(36 + i)} up` }));
const part = computed(() => reading.shown);
const scope = computed((): Scope => {
  if (whose.value === 'Left') return { keys: { low: 0, high: split.value - 1 } };
  if (whose.value === 'Right') return { keys: { low: split.value, high: 127 } };
  if (whose.value !== 'Selected') return {};
  // Notes that are treated together stay in one treatment.
  const own = tidy.selection;
  const together = part.value?.treatments.findLast(({ notes }) => {
    const ids = notes && new Set(idsOf(notes));
    return ids && own.length > 0 && own.every((n) => ids.has(n.id));
  });
  return { notes: together?.notes ?? noteSet(own) };
});
/** Range of the treatment; selected notes have their own. */
const range = computed((): TickRange => {
  const own = tidy.selection;
  if (whose.value !== 'Selected' || own.length === 0) return props.range;
  const starts = own.map((n) => n.played.start).sort((a, b) => a - b);
  return { from: Math.floor(starts[0]!) - 240, to: Math.ceil(starts.at(-1)!) + 480 };
});
const isNothing = computed(() => whose.value === 'Selected' && tidy.selection.length === 0);
/** Treatment of exactly this range and these notes; undefined without one. */
const inForce = computed(
  () =>
    part.value?.treatments.find(
      (t) => sameScope(t, scope.value) && t.from <= range.value.from && t.to >= range.value.to,
    ) ?? null,
);
/** Recipe that is being set, with its scope. */
const draft = shallowRef<(TickRange & Scope & { readonly recipe: Recipe }) | null>(null);
const setTo = computed(() => draft.value?.recipe ?? (inForce.value && recipeOf(inForce.value)));
/** Words for other treatments in the range. */
const besides = computed(() => {
  const there = treatmentsIn(part.value?.treatments ?? [], props.range).filter((t) => t !== inForce.value);
  return treatedWords(there, props.range, openSong.maps.meter);
});
const WHOSE_WORDS = {
  All: '',
  Left: 'the left hand',
  Right: 'the right hand',
  Selected: 'selected notes',
};
watch(
  [setTo, besides, draft, whose],
  () => {
    shown.value = setTo.value;
    others.value = besides.value;
    whoseWords.value = WHOSE_WORDS[whose.value];
  },
  { immediate: true },
);
let settle: ReturnType<typeof setTimeout> | undefined;

/** Delay after the last change before a recipe is stored as one step of undo. It is shown and heard at once. */
const RESTS_AFTER_MS: Milliseconds = 500;
/** Time within which a second click belongs to the first. */
const TWICE_MS: Milliseconds = 500;
function set(to: Recipe): void {
  const p = part.value;
  if (!p || isNothing.value) return;
  draft.value = { ...range.value, ...scope.value, recipe: recipeOf(to) };
  const treatments = applyTreatment(p.treatments, treatmentOf('preview', draft.value));
  clearTimeout(settle);
  settle = setTimeout(keep, RESTS_AFTER_MS);
  const own = draft.value;
  const show = (): void => {
    // An outdated preview is not shown.
    if (draft.value !== own) return;
    const line = lineOf(p, reading.readTake, openSong.maps, treatments);
    tidy.trying = { treatments, line };
    roll.preview = { part: p.id, line };
  };
  const found = findLines(p, reading.readTake, treatments, openSong.document, openSong.maps);
  if (found) void found.then(show);
  else show();
}
function drop(): void {
  clearTimeout(settle);
  draft.value = null;
  tidy.trying = null;
  roll.preview = null;
}
const treatmentOf = (id: string, { recipe, ...whom }: NonNullable<typeof draft.value>): Treatment => ({
  ...{ id, ...whom },
  ...recipe,
});
function keep(): void {
  const [p, given] = [part.value, draft.value];
  if (p && given) song.run({ type: 'treat', part: p.id, treatment: treatmentOf(crypto.randomUUID(), given) });
  drop();
}
/**
 * True while the fields that replace the button ignore the pointer, so that the second click of a double click changes
 * nothing.
 */
const begins = ref(false);
function treat(recipe: Recipe): void {
  set(recipe);
  keep();
  begins.value = true;
  setTimeout(() => {
    begins.value = false;
  }, TWICE_MS);
}
function takeOff(): void {
  keep();
  const p = part.value;
  if (!p) return;
  if (whose.value === 'All') song.run({ type: 'take treatment off', part: p.id, range: props.range });
  else if (inForce.value) song.run({ type: 'take one treatment off', part: p.id, treatment: inForce.value.id });
}
function applyTo(parts: string[]): void {
  keep();
  const given = setTo.value;
  if (given) song.run({ type: 'treat parts', parts, treatment: { id: crypto.randomUUID(), ...props.range, ...given } });
}
watch(
  () => part.value?.id,
  (_, before) => {
    if (before) drop();
    whose.value = 'All';
  },
);
watch([whose, split], keep);
onBeforeUnmount(() => {
  keep();
  roll.timingView = 'treated';
});
defineExpose({ keep });
</script>

<template>
  <section aria-label="Timing recipe" :class="{ begins }">
    <LatenessCard :range="range" :split="split" />
    <div class="sheet panel">
      <ChoiceGroup label="Whose notes">
        <Choice v-for="w in WHOSE" :key="w" :on="whose === w" @click="whose = w">{{ w }}</Choice>
      </ChoiceGroup>
      <SmallSelect
        v-if="whose === 'Left' || whose === 'Right'"
        v-model="split"
        :items="splits"
        label="The right hand"
      />
      <p v-if="isNothing" class="quiet">Select notes in the roll first; the recipe is then theirs alone.</p>
      <template v-else>
        <div class="choices">
          <span v-if="setTo" class="begun">These bars are treated.</span>
          <div v-else class="begun choices">
            <v-btn size="small" :disabled="!part || tidy.notes.length === 0" @click="treat(USUAL)"
              >Quantize these bars</v-btn
            >
            <v-btn size="small" :disabled="!part || tidy.notes.length === 0" @click="treat(STEADIED)"
              >Steady the hand</v-btn
            >
          </div>
          <RecipeMenu :recipe="setTo" @use="set" @apply="applyTo" />
          <v-btn v-if="setTo || (besides && whose === 'All')" size="small" @click="takeOff">Take it off</v-btn>
        </div>
        <RecipeFields v-if="setTo" :model-value="setTo" :range="range" @update:model-value="set" />
        <p v-else-if="besides" class="quiet">
          Only some of it is treated. One recipe can take the place of what is there, or all of it be taken off.
        </p>
        <p v-else class="quiet">Nothing is moved here. A treatment can always be taken off again.</p>
      </template>
    </div>
  </section>
</template>

<style scoped>
.begins {
  pointer-events: none;
}
.panel {
  padding: 10px 12px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  margin-top: 6px;
}
.begun {
  flex: 0 0 100%;
  min-height: 28px;
  align-content: center;
  font-weight: 600;
  font-size: 13px;
  user-select: none;
}
.panel p {
  margin: 0;
  font-size: 13px;
}
</style>
