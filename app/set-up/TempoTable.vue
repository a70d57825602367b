<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref } from 'vue';
import { mdiClose } from '@mdi/js';
import {
  meterFromText,
  pickUpOf,
  withMeterAt,
  withPickUp,
  withTempoAt,
  withTempoSet,
  type Edit,
} from '~~/core/song/tempoEdits';
import { positionAt } from '~~/core/time/meter';
import type { TempoChange } from '~~/core/time/tempo';
import { tappedPulse } from '~~/core/time/tap';
import { useOpenSong } from '~/song/openSong';
import { useRoll } from '~/transport/roll';
import { useSetup } from './setup';
import { vHint } from '~/controls/hint';

/** Tables of tempo and meter, typed or tapped. */
const openSong = useOpenSong();
const roll = useRoll();
const setup = useSetup();

const tempo = computed(() => openSong.document.tempo);
const meter = computed(() => openSong.document.meter);
const placeText = (tick: number) => {
  const { bar, beat } = positionAt(openSong.maps.meter, tick + 0.5);
  return `${bar}·${beat}`;
};
/** Number of rows shown of a long map, around the playhead; recordings of players make long ones. */
const MOST_ROWS = 40;
const shown = computed(() => {
  const all = tempo.value.map((change, index) => ({ change, index }));
  if (all.length <= MOST_ROWS) return all;
  const near = all.findIndex(({ change }) => change.tick >= roll.playhead);
  const from = Math.max(0, Math.min(all.length - MOST_ROWS, (near < 0 ? all.length : near) - MOST_ROWS / 2));
  return all.slice(from, from + MOST_ROWS);
});

/** Sets tempo or meter; an invalid entry changes nothing. */
const apply = (edit: Edit | null): void => {
  if (edit) setup.retime(edit);
};
const set = (index: number, to: Partial<TempoChange>): void => apply(withTempoSet(tempo.value, index, to));
const addTempo = (bpm?: number): void =>
  apply(withTempoAt(openSong.maps.tempo, openSong.maps.meter, roll.playhead, bpm));
const removeTempo = (index: number): void => setup.retime({ tempo: tempo.value.filter((_, i) => i !== index) });

const newBar = ref('');
const newMeter = ref('');
const changeMeter = (bar: number, text: string): void => apply(withMeterAt(meter.value, bar, text));
const removeMeter = (bar: number): void => setup.retime({ meter: meter.value.filter((m) => m.bar !== bar) });
function addMeter(): void {
  const edit = withMeterAt(meter.value, Math.round(Number(newBar.value)), newMeter.value);
  if (!edit) return;
  setup.retime(edit);
  newBar.value = newMeter.value = '';
}

/** Number of beats in a pick-up bar. */
const pickUp = computed(() => pickUpOf(meter.value));
const setPickUp = (beats: number): void => apply(withPickUp(openSong.document, beats));

/** Times of taps, by a button or the T key; a pause begins anew. */
const taps = ref<number[]>([]);
const PAUSE_MS = 3000;
const pulse = computed(() => tappedPulse(taps.value.map((t) => t / 1000)));
function tap(event: Event): void {
  const last = taps.value.at(-1);
  taps.value =
    last !== undefined && event.timeStamp - last < PAUSE_MS ? [...taps.value, event.timeStamp] : [event.timeStamp];
}
/** Tapped tempo in quarters a minute. A tap is a beat of the meter. */
const tapped = computed(() =>
  pulse.value ? Math.round(pulse.value.bpm * (4 / meter.value[0]!.unit) * 10) / 10 : null,
);
const TO_TRUST = 4;
</script>

<template>
  <div class="tables">
    <div class="sheet panel">
      <div class="label">Tap along</div>
      <div class="row">
        <v-btn class="tap" @pointerdown="tap" @keydown.enter="tap">Tap</v-btn>
        <span class="figures tapped">{{ tapped ?? '–' }}</span>
        <span class="quiet">{{ many(taps.length, 'tap') }}</span>
      </div>
      <div class="choices">
        <v-btn size="small" :disabled="taps.length < TO_TRUST || !tapped" @click="set(0, { bpm: tapped! })"
          >For the whole song’s start</v-btn
        >
        <v-btn size="small" :disabled="taps.length < TO_TRUST || !tapped" @click="addTempo(tapped!)"
          >From the playhead</v-btn
        >
      </div>
    </div>
    <div class="label head"><span>Tempo</span><button class="add" @click="addTempo()">Add at the playhead</button></div>
    <div class="sheet list">
      <div v-for="{ change, index } in shown" :key="`${index} ${change.tick}`" class="tempo">
        <span class="figures">{{ placeText(change.tick) }}</span>
        <SmallField
          class="figures field"
          type="number"
          min="5"
          max="1000"
          step="0.1"
          :model-value="Math.round(change.bpm * 100) / 100"
          :aria-label="`Tempo from ${placeText(change.tick)}`"
          @set="(text: string) => set(index, { bpm: Number(text) })"
        />
        <button
          class="switch"
          :aria-pressed="change.ramp === 'linear'"
          :class="{ on: change.ramp === 'linear' }"
          v-hint="change.ramp === 'linear' ? 'Glides to the next tempo' : 'Stays until the next tempo'"
          @click="set(index, { ramp: change.ramp === 'linear' ? 'jump' : 'linear' })"
        >
          {{ change.ramp === 'linear' ? 'glides' : 'stays' }}
        </button>
        <v-btn
          :icon="mdiClose"
          size="x-small"
          variant="text"
          :disabled="tempo.length === 1"
          :aria-label="`Take the tempo at ${placeText(change.tick)} out`"
          @click="removeTempo(index)"
        />
      </div>
      <p v-if="tempo.length > shown.length" class="quiet more">
        {{ tempo.length }} tempos; these are around the playhead.
      </p>
    </div>
    <div class="label">Meter</div>
    <div class="sheet list">
      <div v-for="(m, index) in meter" :key="m.bar" class="tempo">
        <span class="figures">bar {{ m.bar }}</span>
        <SmallField
          class="figures field"
          :model-value="`${m.beats}/${m.unit}`"
          :aria-label="`Meter from bar ${m.bar}`"
          @set="(text: string) => changeMeter(m.bar, text)"
        />
        <span class="quiet">{{ index === 0 && pickUp ? 'pick-up' : '' }}</span>
        <v-btn
          :icon="mdiClose"
          size="x-small"
          variant="text"
          :disabled="m.bar === 1"
          :aria-label="`Take the meter at bar ${m.bar} out`"
          @click="removeMeter(m.bar)"
        />
      </div>
      <form class="tempo" @submit.prevent="addMeter">
        <SmallField
          v-model="newBar"
          class="figures field"
          type="number"
          min="1"
          placeholder="bar"
          aria-label="Bar of a new meter"
        />
        <SmallField v-model="newMeter" class="figures field" placeholder="7/8" aria-label="New meter" />
        <v-btn type="submit" size="x-small" :disabled="!meterFromText(newMeter) || !newBar">Add</v-btn>
      </form>
    </div>
    <div class="label">Pick-up</div>
    <ChoiceGroup label="Pick-up">
      <Choice v-for="n in [0, 1, 2, 3]" :key="n" :on="pickUp === n" :disabled="setup.hasTakes" @click="setPickUp(n)">{{
        n === 0 ? 'None' : many(n, 'beat')
      }}</Choice>
    </ChoiceGroup>
    <p v-if="setup.hasTakes" class="quiet small">
      A pick-up moves every bar on by one, so it is set before anything is recorded.
    </p>
  </div>
</template>

<style scoped>
.tables {
  display: grid;
  gap: 6px;
  align-content: start;
}
.panel {
  padding: 10px 12px;
  display: grid;
  gap: 8px;
}
.row {
  display: flex;
  align-items: center;
  gap: 12px;
}
.tap {
  min-width: 84px;
  height: 44px;
}
.tapped {
  font-size: 22px;
}
.head {
  display: flex;
  justify-content: space-between;
}
.add {
  color: var(--copper-ink);
  font-weight: 600;
  font-size: 12px;
  letter-spacing: 0;
  text-transform: none;
}
.list {
  padding: 4px 8px;
  max-height: 210px;
  overflow: auto;
}
.tempo {
  display: grid;
  grid-template-columns: 58px 76px 1fr auto;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
  font-size: 13px;
}
.field {
  width: 100%;
}
.switch {
  font-size: 12px;
  color: var(--ink-2);
  text-align: left;
}
.switch.on {
  color: var(--copper-ink);
  font-weight: 600;
}
.more,
.small {
  font-size: 12px;
  margin: 4px 2px;
}
</style>
