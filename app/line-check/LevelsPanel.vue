<script setup lang="ts">
import { decibelsFromGain } from '~~/core/time/units';
import { computed, ref, watch } from 'vue';
import { useLineCheck } from './lineCheck';
import { useKeyboards } from '~/keyboards/keyboards';
import { useOpenSong } from '~/song/openSong';
import { useSound } from '~/sound/sound';

/** Level check: peak, headroom and clipping of the loudest passage, and the gain it asks for. */
const check = useLineCheck();
const sound = useSound();
const openSong = useOpenSong();
const keyboards = useKeyboards();

/** Headroom above the loudest passage, for the part together with the backings. */
const HEADROOM_DB = 9;
const most = ref(0);
const clips = ref(0);
let clipsBefore = 0;
const began = ref(false);
watch(
  () => [sound.peak, sound.clips] as const,
  ([loudest, all]) => {
    if (!began.value || keyboards.held.size === 0) {
      clipsBefore = all;
      return;
    }
    most.value = Math.max(most.value, loudest);
    clips.value += Math.max(0, all - clipsBefore);
    clipsBefore = all;
  },
);
const peak = computed(() => (most.value > 0 ? decibelsFromGain(most.value) : null));
const db = (value: number) => `${value.toFixed(1)} dB`.replace('-', '−');
const suggestion = computed(() => {
  const part = check.part;
  if (!part || peak.value === null) return null;
  return Math.max(-40, Math.min(6, Math.round(part.gainDb - peak.value - HEADROOM_DB)));
});
function begin(): void {
  most.value = clips.value = 0;
  clipsBefore = sound.clips;
  began.value = true;
}
function take(): void {
  if (check.part && suggestion.value !== null) openSong.setPart(check.part.id, { gainDb: suggestion.value });
  begin();
}
</script>

<template>
  <section class="sheet panel" aria-label="Levels">
    <p class="names said">Play your loudest passage, with nothing else running.</p>
    <div class="choices">
      <v-btn size="small" @click="begin">{{ began ? 'Begin again' : 'Begin' }}</v-btn>
    </div>
    <dl v-if="began">
      <dt>Peak</dt>
      <dd class="figures" data-test="peak">{{ peak === null ? 'nothing yet' : `${db(peak)}FS` }}</dd>
      <dt>Headroom</dt>
      <dd class="figures">{{ peak === null ? '–' : db(-peak) }}</dd>
      <dt>Clips</dt>
      <dd class="figures">{{ clips }}</dd>
      <dt v-if="check.part">Level of {{ check.part.name }}</dt>
      <dd v-if="check.part" class="figures">{{ db(check.part.gainDb) }}</dd>
    </dl>
    <div v-if="suggestion !== null && check.part" class="choices">
      <v-btn size="small" :disabled="suggestion === check.part.gainDb" @click="take"
        >Set {{ check.part.name }} to {{ db(suggestion) }}, for {{ HEADROOM_DB }} dB of room</v-btn
      >
    </div>
  </section>
</template>

<style scoped>
.panel {
  padding: 14px 18px;
  display: grid;
  gap: 10px;
}
.said {
  font-size: 17px;
  margin: 0;
}
dl {
  display: grid;
  grid-template-columns: 140px 1fr;
  gap: 4px 12px;
  margin: 0;
}
dt {
  color: var(--ink-2);
}
dd {
  margin: 0;
  font-size: 18px;
}
</style>
