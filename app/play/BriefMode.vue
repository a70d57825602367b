<script setup lang="ts">
import { computed } from 'vue';
import { laneWords, lengthWords } from '~~/core/recording/brief';
import { MODES, type Mode } from '~~/core/vocabulary/modes';
import { laneOf } from '~~/core/performance/controls';
import type { Brief } from '~~/core/document/brief';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useKeyboards } from '~/keyboards/keyboards';

/** Choice of what a pass does to existing notes. */
const openSong = useOpenSong();
const reading = useReading();
const keyboards = useKeyboards();
const brief = computed(() => openSong.document.brief);
const set = (to: Partial<Brief>) => openSong.setBrief(to);

const SAYS: Readonly<Record<Mode, string>> = {
  'new take': 'A take of its own, heard in these bars at once. The other takes stay as they are.',
  merge: 'What you play sounds together with what is there.',
  replace: 'Everything in these bars is replaced, played over or not. Undo brings it back.',
  'replace while I play': 'What is there is replaced where you play, phrase by phrase, and stays where you rest.',
  'replace from my first note': 'What is there stays until your first note, and is replaced from there to the end.',
};
const GAPS = [480, 960, 1920, 3840];
/** Controllers that can be ridden: the usual ones, those in the line, and the one moved last. */
const lanes = computed(() => [
  ...new Set([
    'control 1',
    'control 11',
    'control 64',
    'bend',
    'pressure',
    ...openSong.document.parts.flatMap((p) =>
      p.id === brief.value.part ? (reading.lines.get(p.id)?.controls ?? []).map((c) => laneOf(c.message)) : [],
    ),
    ...(keyboards.lastLane ? [keyboards.lastLane] : []),
  ]),
]);
const rides = computed(() => [
  { value: null, title: 'Everything is recorded' },
  ...lanes.value.map((lane) => ({ value: lane, title: laneWords(lane) })),
]);
/** A ride is merged over the line and makes no take of its own. */
const rideOn = (ride: string | null) =>
  set({ ride, ...(ride && brief.value.mode === 'new take' ? { mode: 'replace' as const } : {}) });
</script>

<template>
  <div class="mode">
    <template v-if="!brief.loop">
      <template v-if="brief.ride === null">
        <template v-for="m in MODES" :key="m">
          <WayChoice
            :way="m"
            :name="m[0]!.toUpperCase() + m.slice(1)"
            :on="brief.mode === m"
            @click="set({ mode: m })"
            >{{ SAYS[m] }}</WayChoice
          >
        </template>
        <div v-if="brief.mode === 'replace while I play'" class="choices">
          <span class="quiet">A rest ends a phrase after</span>
          <Choice v-for="g in GAPS" :key="g" size="x-small" :on="brief.gap === g" @click="set({ gap: g })">{{
            lengthWords(g)
          }}</Choice>
        </div>
      </template>
      <template v-else>
        <Choice :on="brief.mode !== 'merge'" @click="set({ mode: 'replace' })">Take the place of what is there</Choice>
        <Choice :on="brief.mode === 'merge'" @click="set({ mode: 'merge' })">Add to what is there</Choice>
      </template>
    </template>
    <p v-else class="quiet">With the loop on, what each lap does takes the place of this.</p>
    <div class="label">Ride one controller</div>
    <p class="quiet">Only that controller is recorded; the notes stay as they are.</p>
    <SmallSelect :model-value="brief.ride" :items="rides" label="The controller to ride" @update:model-value="rideOn" />
  </div>
</template>

<style scoped>
.mode {
  display: grid;
  gap: 6px;
}
.mode p {
  margin: 0 0 3px;
  font-size: 12px;
}
.mode > :deep(.choice) {
  justify-content: flex-start;
}
.field {
  font-size: 13px;
}
</style>
