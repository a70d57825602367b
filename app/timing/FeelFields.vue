<script setup lang="ts">
import { computed, onMounted, ref } from 'vue';
import { writeFeel } from '~~/core/files/feelFile';
import { fileName } from '~~/core/handover/delivery';
import { SHIPPED_FEELS, type Feel } from '~~/core/timing/feel';
import type { Grid } from '~~/core/timing/grid';
import type { AppliedFeel } from '~~/core/timing/recipe';
import type { TickRange } from '~~/core/time/units';
import { saveBytes } from '~/controls/save';
import { useKept } from '~/kept/kept';
import { useFeelSources } from './useFeelSources';

/** Choice of a feel: from a part, a backing, those kept by name, those that ship, or a file. */
const applied = defineModel<AppliedFeel | undefined>({ required: true });
const props = defineProps<{ grid: Grid; range: TickRange }>();
const kept = useKept();
const { sources, take, read } = useFeelSources();
const busy = ref(false);
const file = ref<HTMLInputElement | null>(null);
onMounted(() => void kept.refresh());

const NONE = 'none';
const choices = computed(() => {
  const own = applied.value?.feel;
  const known = [...kept.feels.map((f) => f.value), ...SHIPPED_FEELS];
  const isKnown = own && known.some((f) => f.name === own.name);
  return [
    { value: NONE, title: 'No feel' },
    ...(own && !isKnown ? [{ value: 'own', title: own.name }] : []),
    ...kept.feels.map((f) => ({ value: `kept ${f.name}`, title: f.name })),
    ...SHIPPED_FEELS.map((f) => ({ value: `ships ${f.name}`, title: f.name })),
  ];
});
const chosen = computed(() => {
  const own = applied.value?.feel;
  if (!own) return NONE;
  const title = own.name;
  return choices.value.find((c) => c.title === title)?.value ?? NONE;
});
const apply = (feel: Feel | null | undefined): void => {
  if (feel) applied.value = { feel, timing: applied.value?.timing ?? 1, touch: applied.value?.touch ?? 0.5 };
};
function choose(value: string): void {
  if (value === NONE) applied.value = undefined;
  else if (value.startsWith('kept ')) apply(kept.feels.find((f) => f.name === value.slice(5))?.value);
  else if (value.startsWith('ships ')) apply(SHIPPED_FEELS.find((f) => f.name === value.slice(6)));
}
async function takeFrom(source: string): Promise<void> {
  busy.value = true;
  apply(await take(source, props.grid, props.range));
  busy.value = false;
}
async function readFile(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const [given] = input.files ?? [];
  if (given) apply(await read(given));
  input.value = '';
}
const save = (feel: Feel): void => saveBytes(fileName(feel.name, 'mid'), writeFeel(feel), 'audio/midi');
const isKept = computed(() => kept.feels.some((f) => f.name === applied.value?.feel.name));
</script>

<template>
  <p v-if="kept.unread" role="alert" class="trouble">{{ kept.unread }}</p>
  <SmallSelect :model-value="chosen" :items="choices" label="Feel" @update:model-value="choose" />
  <v-menu>
    <template #activator="{ props: menu }"
      ><v-btn v-bind="menu" size="small" :loading="busy" :disabled="sources.length === 0"
        >Take a feel from these bars of…</v-btn
      ></template
    >
    <v-list density="compact" aria-label="What a feel is taken from">
      <v-list-item v-for="s in sources" :key="s.value" :title="s.title" @click="takeFrom(s.value)" />
    </v-list>
  </v-menu>
  <template v-if="applied">
    <FeelPicture :feel="applied.feel" />
    <SettingSlider
      :model-value="applied.timing * 100"
      label="Feel, timing"
      :min="0"
      :max="100"
      :words="`${Math.round(applied.timing * 100)}%`"
      @update:model-value="(p: number) => (applied = { ...applied!, timing: p / 100 })"
    />
    <SettingSlider
      :model-value="applied.touch * 100"
      label="Feel, velocity"
      :min="0"
      :max="100"
      :words="`${Math.round(applied.touch * 100)}%`"
      @update:model-value="(p: number) => (applied = { ...applied!, touch: p / 100 })"
    />
  </template>
  <div class="choices files">
    <v-btn v-if="applied && !isKept" size="x-small" @click="kept.keepFeel(applied.feel)">Keep it by name</v-btn>
    <v-btn v-if="applied && isKept" size="x-small" @click="kept.forgetFeel(applied.feel.name)">Forget it</v-btn>
    <v-btn v-if="applied" size="x-small" @click="save(applied.feel)">Save as MIDI file</v-btn>
    <v-btn size="x-small" @click="file?.click()">Read from a MIDI file</v-btn>
    <input
      ref="file"
      type="file"
      accept=".mid,.midi"
      class="unseen"
      aria-label="Feel from a MIDI file"
      @change="readFile"
    />
  </div>
</template>

<style scoped>
/* The hidden field stays where its button is. */
.files {
  position: relative;
}
</style>
