<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { lineOf } from '~~/core/song/reading';
import { layTreatment, treatmentsIn } from '~~/core/timing/laying';
import { recipeOf, type Recipe } from '~~/core/timing/recipe';
import { treatedWords } from '~~/core/timing/words';
import { secondsAt } from '~~/core/time/tempo';
import { inRange, type TickRange } from '~~/core/time/units';
import { useKeyboards } from '~/keyboards/keyboards';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useRoll } from '~/transport/roll';
import { useTidy } from './tidy';

/** The timing recipe of a stretch. */
const props = defineProps<{ stretch: TickRange }>();
/** The recipe as it is being set, or as it is. */
const shown = defineModel<Recipe | null>('recipe', { required: true });
const others = defineModel<string>('others', { required: true });
const song = useSong();
const reading = useReading();
const roll = useRoll();
const keyboards = useKeyboards();
const tidy = useTidy();

const USUAL: Recipe = { grid: '16 straight', strength: 0.7, ends: 'keep length' };
const part = computed(() => reading.shown);
/** The recipe over all of the stretch and all that is heard there, or null. */
const inForce = computed(
  () =>
    part.value?.treatments.find((t) => !t.layers && t.from <= props.stretch.from && t.to >= props.stretch.to) ?? null,
);
const draft = ref<Recipe | null>(null);
const setTo = computed(() => draft.value ?? inForce.value);
/** What else is treated in the stretch, in words. */
const besides = computed(() => {
  const there = treatmentsIn(part.value?.treatments ?? [], props.stretch).filter((t) => t !== inForce.value);
  return treatedWords(there, props.stretch, reading.maps!.meter);
});
watch(
  [setTo, besides, draft],
  () => {
    shown.value = setTo.value;
    others.value = draft.value ? '' : besides.value;
  },
  { immediate: true },
);
let settle: ReturnType<typeof setTimeout> | undefined;

/** Shown and heard while it is set; kept, as one change to undo, once the hand rests. */
const RESTS_AFTER_MS = 500;
function set(to: Recipe): void {
  const p = part.value;
  if (!p) return;
  draft.value = recipeOf(to);
  const treatments = layTreatment(p.treatments, { id: 'preview', ...props.stretch, ...draft.value });
  tidy.trying = treatments;
  roll.preview = { part: p.id, line: lineOf(p, reading.readTake, reading.maps!, treatments) };
  clearTimeout(settle);
  settle = setTimeout(keep, RESTS_AFTER_MS);
}
function drop(): void {
  clearTimeout(settle);
  draft.value = null;
  tidy.trying = null;
  roll.preview = null;
}
function keep(): void {
  const [p, given] = [part.value, draft.value];
  drop();
  if (p && given)
    song.run({ type: 'treat', part: p.id, treatment: { id: crypto.randomUUID(), ...props.stretch, ...given } });
}
function takeOff(): void {
  keep();
  if (part.value) song.run({ type: 'take treatment off', part: part.value.id, range: props.stretch });
}
watch(
  () => part.value?.id,
  (_, before) => {
    if (before) drop();
  },
);
onBeforeUnmount(keep);
defineExpose({ keep });

/** How far strikes lie from where they are treated to, in the stretch. */
const moved = computed(() => {
  const { tempo } = reading.maps!;
  const notes = tidy.notes.filter((n) => inRange(n.played.start, props.stretch));
  const by = notes.map((n) => (secondsAt(tempo, n.start) - secondsAt(tempo, n.played.start)) * 1000);
  const most = by.reduce((m, x) => (Math.abs(x) > Math.abs(m) ? x : m), 0);
  return {
    count: notes.length,
    changed: by.filter((x) => Math.abs(x) > 0.05).length,
    most: Math.round(Math.abs(most)),
  };
});
</script>

<template>
  <section aria-label="Timing recipe">
    <div class="sheet panel">
      <template v-if="setTo">
        <RecipeFields :model-value="setTo" @update:model-value="set" />
        <v-btn size="small" @click="takeOff">Take it off</v-btn>
      </template>
      <template v-else>
        <p v-if="besides" class="quiet">
          Only some of it is treated. One recipe can take the place of what is there, or all of it be taken off.
        </p>
        <p v-else class="quiet">Nothing is moved here. A treatment can always be taken off again.</p>
        <v-btn v-if="besides" size="small" @click="takeOff">Take it off</v-btn>
        <v-btn
          :disabled="!part || tidy.notes.length === 0"
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
      <kbd>{{ keyboards.computerPlays ? 'Ctrl B' : 'B' }}</kbd> to see and hear it as played.
    </p>
  </section>
</template>

<style scoped>
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
</style>
