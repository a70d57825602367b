<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue';
import type { Part } from '~~/core/document/part';
import { hasSound } from '~~/core/reading/sound';
import { tuningWords } from '~~/core/vocabulary/tuning';
import { soundName } from '~~/core/vocabulary/sounds';
import { wordsOf } from '~/api/api';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useInputs } from '~/sound/inputs';
import { useSound } from '~/sound/sound';

/** Settings of an outside instrument: its audio input and level, and what the part is heard as. */
const props = defineProps<{ part: Part }>();
const openSong = useOpenSong();
const reading = useReading();
const inputs = useInputs();
const sound = useSound();
const trouble = ref('');

const NOTHING = '';
const set = (to: Partial<Pick<Part, 'input' | 'heardAs'>>) => openSong.setPart(props.part.id, to);
const items = computed(() => {
  const own = props.part.input;
  const away = own && !inputs.all.some((f) => f.device === own.device);
  const words = own && inputs.all.some((f) => f.name === own.name) ? own.name : `${own?.name} (away)`;
  return [
    { value: NOTHING, title: 'nothing' },
    ...inputs.all.map((f) => ({ value: f.device, title: f.name })),
    ...(away ? [{ value: own.device, title: words }] : []),
  ];
});
const has = computed(() => hasSound(props.part, reading.sources.layers));

function choose(device: string): void {
  const found = inputs.all.find((f) => f.device === device);
  if (device !== NOTHING && !found) return;
  set({ input: found ? { ...found, channels: props.part.input?.channels ?? 2 } : null });
}

/** Opens the input, so that its level shows before anything is recorded. */
async function listen(): Promise<void> {
  trouble.value = '';
  const { input } = props.part;
  if (!input || !(await sound.ready())) return;
  await inputs.get(input).catch((error) => {
    trouble.value = wordsOf(error);
  });
}

watch(
  () => props.part.input,
  () => void listen(),
  { immediate: true },
);
onMounted(() => void inputs.look(false));
</script>

<template>
  <div class="outside" role="group" :aria-label="`The instrument of ${part.name}`">
    <div class="row">
      <span>Record the sound of</span>
      <SmallSelect
        :model-value="part.input?.device ?? NOTHING"
        :items="items"
        :label="`Input of ${part.name}`"
        @update:model-value="choose"
      />
    </div>
    <p v-if="openSong.document.tuning" class="quiet">
      Set the instrument’s own tuning to {{ tuningWords(openSong.document.tuning) }}.
    </p>
    <template v-if="part.input">
      <ChoiceGroup label="Channels">
        <Choice :on="part.input.channels === 2" @click="set({ input: { ...part.input, channels: 2 } })">Stereo</Choice>
        <Choice :on="part.input.channels === 1" @click="set({ input: { ...part.input, channels: 1 } })">Mono</Choice>
      </ChoiceGroup>
      <LevelBar comes-in :label="part.input.name" :peak="() => inputs.opened(part.input!)?.peak() ?? 0" />
    </template>
    <p v-if="trouble || inputs.trouble" class="attention" role="status">{{ trouble || inputs.trouble }}</p>
    <button class="add" @click="inputs.look(true)">Look for inputs</button>
    <template v-if="has || part.input || part.heardAs === 'recorded'">
      <div class="label">Heard and handed over as</div>
      <ChoiceGroup label="Heard and handed over as">
        <Choice :on="part.heardAs === 'program'" @click="set({ heardAs: 'program' })">{{
          soundName(part.sound)
        }}</Choice>
        <Choice :on="part.heardAs === 'recorded'" :disabled="!has" @click="set({ heardAs: 'recorded' })"
          >Its recorded sound</Choice
        >
      </ChoiceGroup>
      <p class="quiet">
        {{
          has
            ? 'Changes by hand and treatments move its notes; its sound stays as played until it is sounded again.'
            : 'Nothing is recorded of it yet. The next take will have its sound.'
        }}
      </p>
      <SoundAgain v-if="part.input || part.soundedAgain.length > 0" :part="part" />
    </template>
  </div>
</template>

<style scoped>
.outside {
  display: grid;
  gap: 8px;
}
.row {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.add {
  justify-self: start;
  color: var(--copper-ink);
  text-decoration: underline;
  text-underline-offset: 3px;
  font-size: 12.5px;
}
</style>
