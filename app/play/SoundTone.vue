<script setup lang="ts">
import { computed } from 'vue';
import type { Part } from '~~/core/document/part';
import { MOST_OCTAVES, octaveWords, type SecondSound, type Tone } from '~~/core/document/tone';
import { keyName } from '~~/core/performance/messages';
import { useOpenSong } from '~/song/openSong';

/** Settings of a part's sound: tuning and response; for a second sound also its keys. */
const props = defineProps<{ part: Part; of: 'first' | 'second' }>();
const openSong = useOpenSong();
const tone = computed(() => props.part.tone);
const second = computed(() => (props.of === 'second' ? tone.value.second : null));

const set = (to: Partial<Tone>): void => openSong.setPart(props.part.id, { tone: { ...tone.value, ...to } });
function setSecond(to: Partial<SecondSound>): void {
  if (second.value) set({ second: { ...second.value, ...to } });
}

/** Default key of a split. */
const MIDDLE_C = 60;
const octave = computed(() => second.value?.octave ?? tone.value.octave);
const setOctave = (to: number): void => (second.value ? setSecond({ octave: to }) : set({ octave: to }));
const octaveSaid = computed(() => octaveWords(octave.value) ?? 'as played');
const dB = computed(() => `${second.value?.gainDb ?? 0} dB`.replace('-', '−'));
const where = computed(() => {
  const below = second.value?.below ?? null;
  return below === null ? 'together with the first' : `below ${keyName(below)}`;
});
const percent = (share: number): string => `${Math.round(share * 100)} %`;
</script>

<template>
  <div class="tone" role="group" :aria-label="of === 'first' ? 'Its sound is set to' : 'The second sound is set to'">
    <SettingRow v-if="second" label="Sounds" :value="where" :quiet="second.below === null">
      <ChoiceGroup label="The second sound">
        <Choice :on="second.below === null" @click="setSecond({ below: null })">Together</Choice>
        <Choice :on="second.below !== null" @click="setSecond({ below: second.below ?? MIDDLE_C })">Below a key</Choice>
      </ChoiceGroup>
      <SettingSlider
        v-if="second.below !== null"
        :model-value="second.below"
        label="The first sound from"
        :min="22"
        :max="108"
        :words="keyName(second.below)"
        @update:model-value="(to: number) => setSecond({ below: to })"
      />
    </SettingRow>
    <SettingRow label="Octave" :value="octaveSaid" :quiet="octave === 0">
      <SettingSlider
        :model-value="octave"
        label="Octaves up"
        :min="-MOST_OCTAVES"
        :max="MOST_OCTAVES"
        :words="octaveSaid"
        @update:model-value="setOctave"
      />
    </SettingRow>
    <SettingRow v-if="second" label="Level" :value="dB" :quiet="second.gainDb === 0">
      <SettingSlider
        :model-value="second.gainDb"
        label="Against the first sound"
        :min="-30"
        :max="12"
        :words="dB"
        @update:model-value="(to: number) => setSecond({ gainDb: to })"
      />
    </SettingRow>
    <template v-if="of === 'first'">
      <SettingRow label="Level by velocity" :value="percent(tone.velocity)" :quiet="tone.velocity === 1">
        <SettingSlider
          :model-value="tone.velocity"
          label="Level by velocity"
          :min="0"
          :max="2"
          :step="0.05"
          :words="percent(tone.velocity)"
          @update:model-value="(to: number) => set({ velocity: to })"
        />
      </SettingRow>
      <SettingRow label="Release" :value="`× ${tone.release}`" :quiet="tone.release === 1">
        <SettingSlider
          :model-value="tone.release"
          label="Release, times the sound’s own"
          :min="0.25"
          :max="4"
          :step="0.25"
          :words="`× ${tone.release}`"
          @update:model-value="(to: number) => set({ release: to })"
        />
      </SettingRow>
    </template>
  </div>
</template>

<style scoped>
.tone {
  margin-top: 4px;
}
</style>
