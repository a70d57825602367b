<script setup lang="ts">
import { computed, ref } from 'vue';
import { chordOf, from, invert, lateness, lengthOf, ofHand, ofKey, struckIn } from '~~/core/editing/select';
import { readKey } from '~~/core/editing/rows';
import { keyName } from '~~/core/performance/messages';
import type { TickRange } from '~~/core/time/units';
import type { TreatedNote } from '~~/core/timing/treatment';
import { useOpenSong } from '~/song/openSong';
import { useRoll } from '~/transport/roll';
import { useTidy } from './tidy';

/** Menu for selecting notes by their properties. */
const props = defineProps<{ range: TickRange }>();
const tidy = useTidy();
const openSong = useOpenSong();
const roll = useRoll();
const open = ref(false);
const split = ref(60);
const length = ref(80);
const velocity = ref(40);
const late = ref(20);

const there = computed(() => struckIn(tidy.all, props.range));
const anchor = computed(() => tidy.atCursor ?? tidy.selection[0] ?? null);
function take(notes: readonly TreatedNote[]): void {
  tidy.choose(notes);
  open.value = false;
}
function setSplit(text: string): void {
  split.value = readKey(text) ?? split.value;
}
const number = (text: string, before: number): number => (Number.isFinite(Number(text)) ? Number(text) : before);
const { tempo, meter } = openSong.maps;
const lateBy = (n: TreatedNote) => lateness(tempo, meter, tidy.grid, n);
const shorter = () => there.value.filter((n) => lengthOf(tempo, n) < length.value);
const softer = () => there.value.filter((n) => n.velocity < velocity.value);
const early = () => there.value.filter((n) => lateBy(n) < -late.value);
const behind = () => there.value.filter((n) => lateBy(n) > late.value);
</script>

<template>
  <Popup v-model="open" label="Select notes">
    <template #activator="{ props: menu }"><v-btn v-bind="menu" size="small">Select</v-btn></template>
    <div class="choices">
      <v-btn size="small" @click="take(there)">All in these bars</v-btn>
      <v-btn size="small" @click="take(invert(there, tidy.chosen))">The others</v-btn>
      <v-btn size="small" :disabled="!anchor" @click="take(chordOf(tidy.all, anchor!))">Its chord</v-btn>
      <v-btn size="small" :disabled="!anchor" @click="take(ofKey(there, anchor!.key))">Its key</v-btn>
      <v-btn size="small" @click="take(from(tidy.all, anchor?.start ?? roll.playhead))">Everything after</v-btn>
      <v-btn size="small" @click="take([])">None</v-btn>
    </div>
    <div class="line">
      <v-btn size="small" @click="take(ofHand(there, 'left', split))">Left hand</v-btn>
      <v-btn size="small" @click="take(ofHand(there, 'right', split))">Right hand</v-btn>
      <span class="quiet">split at</span>
      <SmallField :model-value="keyName(split)" aria-label="Lowest key of the right hand" @set="setSplit" />
    </div>
    <div class="line">
      <v-btn size="small" @click="take(shorter())">Shorter than</v-btn>
      <SmallField
        :model-value="length"
        aria-label="Length in milliseconds"
        @set="(t) => (length = number(t, length))"
      />
      <span class="quiet">ms</span>
    </div>
    <div class="line">
      <v-btn size="small" @click="take(softer())">Softer than</v-btn>
      <SmallField
        :model-value="velocity"
        aria-label="Velocity, 1 to 127"
        @set="(v) => (velocity = number(v, velocity))"
      />
    </div>
    <div class="line">
      <v-btn size="small" @click="take(early())">Early by</v-btn>
      <v-btn size="small" @click="take(behind())">Late by</v-btn>
      <SmallField
        :model-value="late"
        aria-label="Early or late in milliseconds"
        @set="(t) => (late = number(t, late))"
      />
      <span class="quiet">ms or more</span>
    </div>
  </Popup>
</template>

<style scoped>
.line {
  display: flex;
  gap: 6px;
  align-items: center;
}
.line .small-field {
  flex: 0 0 64px;
}
</style>
