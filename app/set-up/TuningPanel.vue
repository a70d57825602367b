<script setup lang="ts">
import { centsAt, hertzAt, offWords } from '~~/core/vocabulary/tuning';
import { SURE } from '~~/core/backing/tuning';
import { FARTHEST_TUNING } from '~~/core/vocabulary/limits';
import { vHint } from '~/controls/hint';
import { useSetup } from './setup';
import { useOpenSong } from '~/song/openSong';

/** Tuning of the program's instruments, typed or taken from a backing. */
const openSong = useOpenSong();
const setup = useSetup();
const tenth = (value: number): number => Math.round(value * 10) / 10;
function tune(cents: number): void {
  if (Number.isFinite(cents) && Math.abs(cents) <= FARTHEST_TUNING) openSong.setSong({ tuning: tenth(cents) });
}
const read = (text: string): number => Number(text.replace(',', '.').replace('−', '-'));
</script>

<template>
  <section class="tuning" aria-label="Tuning">
    <div class="label">Tuning</div>
    <div class="sheet panel">
      <div class="row">
        <span>A</span>
        <SmallField
          class="figures field"
          type="number"
          step="0.1"
          aria-label="Frequency of A in Hz"
          :model-value="tenth(hertzAt(openSong.document.tuning))"
          @set="(text: string) => tune(centsAt(read(text)))"
        />
        <span class="quiet">Hz</span>
        <SmallField
          class="figures field"
          type="number"
          step="0.1"
          aria-label="Tuning in cents against 440 Hz"
          :model-value="openSong.document.tuning"
          @set="(text: string) => tune(read(text))"
        />
        <span class="quiet">cents</span>
        <v-btn v-if="openSong.document.tuning !== 0" size="x-small" v-hint="'A is 440 Hz again'" @click="tune(0)"
          >440</v-btn
        >
      </div>
      <v-btn
        v-if="setup.selected && !setup.selected.midi"
        size="small"
        :disabled="setup.listening"
        @click="setup.findTuning(setup.selected)"
        >Find it in {{ setup.selected.name }}</v-btn
      >
      <div v-if="setup.tuning" role="status" class="found">
        <template v-if="setup.tuning.sure >= SURE">
          <span
            >{{ setup.tuning.name }} is {{ offWords(setup.tuning.cents) }},
            {{ setup.tuning.sure > 0.7 ? 'quite sure' : 'fairly sure' }}.</span
          >
          <v-btn
            v-if="tenth(setup.tuning.cents) !== openSong.document.tuning"
            size="small"
            @click="tune(setup.tuning.cents)"
            >Tune to it</v-btn
          >
          <span v-else class="quiet">The instruments are tuned to it.</span>
        </template>
        <span v-else>Not sure: in {{ setup.tuning.name }} too little has a pitch. Nothing was changed.</span>
      </div>
      <p class="quiet small">For all sounds of the program but drums. An instrument outside is set by hand.</p>
    </div>
  </section>
</template>

<style scoped>
.panel {
  padding: 8px 12px;
  display: grid;
  gap: 6px;
  justify-items: start;
}
.row,
.found {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  font-size: 13px;
}
.field {
  width: 82px;
}
.small {
  font-size: 12px;
  margin: 0;
}
</style>
