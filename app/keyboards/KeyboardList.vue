<script setup lang="ts">
import { computed } from 'vue';
import { useKeyboards } from './keyboards';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';

const keyboards = useKeyboards();
const song = useSong();
const openSong = useOpenSong();

const wanted = computed(() => song.document?.brief.keyboard ?? null);
const HELP: Readonly<Record<string, string>> = {
  computer:
    'The row of A is the white keys from C, the row above the black ones; Z and X change the octave. ' +
    'Shortcuts then want Ctrl.',
  screen: 'Press the strip at the foot of the page; nearer the edge is louder.',
  bench: 'A stand-in that plays the written part along with each pass.',
  midi: 'Plugged in.',
};
const choose = (keyboard: string | null) => openSong.setBrief({ keyboard });
</script>

<template>
  <div class="list">
    <p v-if="keyboards.absenceWords" class="trouble" role="alert">{{ keyboards.absenceWords }}</p>
    <p v-else-if="!keyboards.ports.some((p) => p.kind === 'midi')" class="quiet">
      No MIDI keyboard is plugged in. One that is will show up here by itself.
    </p>
    <div v-for="port in keyboards.ports" :key="port.id" class="port">
      <div>
        <b>{{ keyboards.nameOf(port) }}</b>
        <div class="quiet">{{ HELP[port.kind] }}</div>
        <label v-if="port.kind === 'bench' && keyboards.isOn(port)" class="loose">
          Looseness
          <input
            v-model.number="keyboards.looseness"
            type="range"
            min="0"
            max="30"
            step="1"
            aria-label="Looseness of the Bench keyboard in milliseconds"
          />
          <span class="figures">±{{ keyboards.looseness }} ms</span>
        </label>
        <label v-if="port.kind === 'bench' && keyboards.isOn(port)" class="loose">
          Hears late by
          <input
            v-model.number="keyboards.hearsLate"
            type="range"
            min="0"
            max="200"
            step="1"
            aria-label="How late the Bench keyboard hears the click, in milliseconds"
          />
          <span class="figures">{{ keyboards.hearsLate }} ms</span>
        </label>
      </div>
      <v-switch
        :model-value="keyboards.isOn(port)"
        density="compact"
        color="primary"
        hide-details
        :aria-label="`${port.name} on`"
        @update:model-value="(on: unknown) => keyboards.set(port, Boolean(on))"
      />
    </div>
    <ChoiceGroup label="Which keyboard is recorded">
      <Choice :on="wanted === null" @click="choose(null)">Record any of them</Choice>
      <Choice v-for="port in keyboards.active" :key="port.id" :on="wanted === port.id" @click="choose(port.id)"
        >Only {{ keyboards.nameOf(port) }}</Choice
      >
    </ChoiceGroup>
    <v-btn v-if="keyboards.absence" size="small" @click="keyboards.lookForMidi()">Look again</v-btn>
  </div>
</template>

<style scoped>
.list {
  display: grid;
  gap: 10px;
  font-size: 13px;
}
.list p {
  margin: 0;
}
.port {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  align-items: center;
  gap: 12px;
  border-top: 1px solid var(--rule-soft);
  padding-top: 6px;
  line-height: 1.3;
}
.port :deep(.v-switch) {
  padding-right: 4px;
}
.loose {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-top: 4px;
}
</style>
