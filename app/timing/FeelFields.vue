<script setup lang="ts">
import { computed, onMounted, ref } from 'vue';
import { writeFeel } from '~~/core/files/feelFile';
import { fileName } from '~~/core/handover/delivery';
import { SHIPPED_FEELS, type Feel } from '~~/core/timing/feel';
import type { Grid } from '~~/core/timing/grid';
import type { LaidFeel } from '~~/core/timing/recipe';
import type { TickRange } from '~~/core/time/units';
import { saveBytes } from '~/controls/save';
import { useKept } from '~/kept/kept';
import { useFeelSources } from './useFeelSources';

/** Choice of a feel: from a part, a backing, those kept by name, those that ship, or a file. */
const laid = defineModel<LaidFeel | undefined>({ required: true });
const props = defineProps<{ grid: Grid; range: TickRange }>();
const kept = useKept();
const { sources, take, read } = useFeelSources();
const busy = ref(false);
const file = ref<HTMLInputElement | null>(null);
onMounted(() => void kept.refresh());

const NONE = 'none';
const choices = computed(() => {
  const own = laid.value?.feel;
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
  const own = laid.value?.feel;
  if (!own) return NONE;
  const title = own.name;
  return choices.value.find((c) => c.title === title)?.value ?? NONE;
});
const lay = (feel: Feel | null | undefined): void => {
  if (feel) laid.value = { feel, timing: laid.value?.timing ?? 1, touch: laid.value?.touch ?? 0.5 };
};
function choose(value: string): void {
  if (value === NONE) laid.value = undefined;
  else if (value.startsWith('kept ')) lay(kept.feels.find((f) => f.name === value.slice(5))?.value);
  else if (value.startsWith('ships ')) lay(SHIPPED_FEELS.find((f) => f.name === value.slice(6)));
}
async function takeFrom(source: string): Promise<void> {
  busy.value = true;
  lay(await take(source, props.grid, props.range));
  busy.value = false;
}
async function readFile(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const [given] = input.files ?? [];
  if (given) lay(await read(given));
  input.value = '';
}
const save = (feel: Feel): void => saveBytes(fileName(feel.name, 'mid'), writeFeel(feel), 'audio/midi');
const isKept = computed(() => kept.feels.some((f) => f.name === laid.value?.feel.name));
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
  <template v-if="laid">
    <FeelPicture :feel="laid.feel" />
    <SettingSlider
      :model-value="laid.timing * 100"
      label="Feel, timing"
      :min="0"
      :max="100"
      :words="`${Math.round(laid.timing * 100)}%`"
      @update:model-value="(p: number) => (laid = { ...laid!, timing: p / 100 })"
    />
    <SettingSlider
      :model-value="laid.touch * 100"
      label="Feel, velocity"
      :min="0"
      :max="100"
      :words="`${Math.round(laid.touch * 100)}%`"
      @update:model-value="(p: number) => (laid = { ...laid!, touch: p / 100 })"
    />
  </template>
  <div class="choices files">
    <v-btn v-if="laid && !isKept" size="x-small" @click="kept.keepFeel(laid.feel)">Keep it by name</v-btn>
    <v-btn v-if="laid && isKept" size="x-small" @click="kept.forgetFeel(laid.feel.name)">Forget it</v-btn>
    <v-btn v-if="laid" size="x-small" @click="save(laid.feel)">Save as MIDI file</v-btn>
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
