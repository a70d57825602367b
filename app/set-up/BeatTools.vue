<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, onBeforeUnmount, shallowRef } from 'vue';
import { TOLD_WITHIN } from '~~/core/backing/analysis';
import type { FoundMeter } from '~~/core/backing/bars';
import { fitTempo } from '~~/core/backing/tempoFit';
import type { Backing } from '~~/core/document/backing';
import { toldTempo } from '~~/core/client/toldTempo';
import { secondsAt } from '~~/core/time/tempo';
import { useShortcuts } from '~/shell/useShortcuts';
import { useKeyboards } from '~/keyboards/keyboards';
import { usePass } from '~/transport/pass';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { useRoll } from '~/transport/roll';
import { useSetup } from './setup';

/** Beats found in a recording, how sure they are, and the ways to correct them. */
const props = defineProps<{ backing: Backing }>();
const pass = usePass();
const keyboards = useKeyboards();
const openSong = useOpenSong();
const roll = useRoll();
const setup = useSetup();
const song = useSong();

const beats = computed(() => setup.beats!);
const fitted = computed(() => fitTempo(beats.value.found));
const tempos = computed(() => fitted.value?.tempo.map((t) => t.bpm) ?? []);
const one = (bpm: number) => Math.round(bpm * 10) / 10;
const tempoWords = computed(() => {
  const [low, high] = [Math.min(...tempos.value), Math.max(...tempos.value)];
  if (tempos.value.length === 0) return 'no tempo';
  return tempos.value.length === 1
    ? `a steady ${one(low)} bpm`
    : `${one(low)} to ${one(high)} bpm, ${tempos.value.length} tempos`;
});
const unsure = computed(() => beats.value.found.beats.filter((b) => b.sure < 0.4).length);
const METERS: readonly { label: string; meter: FoundMeter }[] = [
  { label: '4/4', meter: { pulses: 4, beats: 4, unit: 4 } },
  { label: '3/4', meter: { pulses: 3, beats: 3, unit: 4 } },
  { label: '2/4', meter: { pulses: 2, beats: 2, unit: 4 } },
  { label: '6/8', meter: { pulses: 2, beats: 6, unit: 8 } },
  { label: '12/8', meter: { pulses: 4, beats: 12, unit: 8 } },
  { label: '5/4', meter: { pulses: 5, beats: 5, unit: 4 } },
  { label: '7/8', meter: { pulses: 7, beats: 7, unit: 8 } },
];
const isMeter = ({ beats: top, unit }: FoundMeter) =>
  beats.value.found.bars.meter.beats === top && beats.value.found.bars.meter.unit === unit;
function sureWords(sure: number): string {
  if (sure > 0.7) return 'quite sure';
  return sure > 0.3 ? 'fairly sure' : 'not sure';
}

/** Readings of the beats. Taking one drops earlier corrections, but for pins and taps. */
const readings = computed(() =>
  beats.value.found.readings.map(({ period, meter: { beats: top, unit }, between }) =>
    [`${Math.round(60 / period)} bpm, ${top}/${unit}`, ...(between ? ['between those'] : [])].join(', '),
  ),
);
/** True if the beats still follow the told tempo, and no later correction. */
const fitsTold = computed(() => {
  const { edits, found } = beats.value;
  const [first, last] = [found.beats[0], found.beats.at(-1)];
  if (!edits.bpm || !first || !last || found.beats.length < 2) return false;
  const bpm = (60 * (found.beats.length - 1)) / (last.at - first.at) / edits.factor;
  return Math.abs(Math.log(bpm / edits.bpm)) <= TOLD_WITHIN;
});
const isClients = computed(
  () => beats.value.edits.bpm !== null && beats.value.edits.bpm === toldTempo(song.document?.notes ?? ''),
);
function tell(text: string): void {
  const bpm = Number(text.replace(',', '.'));
  void setup.edit({ bpm: bpm >= 20 && bpm <= 400 ? bpm : null, factor: 1, halves: 0, shift: 0 });
}
const isReading = (i: number): boolean => {
  const { bpm, reading, factor, halves } = beats.value.edits;
  return !(bpm && fitsTold.value) && reading === i && factor === 1 && halves === 0;
};
const hear = (reading: number) => setup.edit({ bpm: null, reading, factor: 1, halves: 0, shift: 0, meter: null });
const levelSure = computed(() => beats.value.found.readings[0]?.share ?? 0);

/** Taps while the song plays; they are fitted at a pause. */
const run = shallowRef<readonly number[]>([]);
const TAPS_PAUSE_MS = 2500;
const TO_TRUST = 2;
let pause: ReturnType<typeof setTimeout> | undefined;
function tap(): void {
  if (!pass.rolling) return;
  run.value = [...run.value, secondsAt(openSong.maps.tempo, roll.tickNow()) - props.backing.offset];
  clearTimeout(pause);
  pause = setTimeout(settle, TAPS_PAUSE_MS);
}
function settle(): void {
  const taps = run.value;
  run.value = [];
  if (taps.length >= TO_TRUST) void setup.edit({ taps: [...beats.value.edits.taps, taps] });
}
// While the computer's keys play notes, T needs Ctrl like every other letter.
useShortcuts({ t: tap });
onBeforeUnmount(() => clearTimeout(pause));
</script>

<template>
  <div class="tools sheet">
    <p class="said names">{{ many(beats.found.beats.length, 'beat') }}, {{ tempoWords }}.</p>
    <p class="quiet small">
      {{ beats.found.bars.meter.beats }}/{{ beats.found.bars.meter.unit }}, first beat of the bar
      {{ sureWords(beats.found.bars.sure) }}.
      {{ unsure ? `Guessed: ${many(unsure, 'beat')}, the paler ones.` : 'Every beat has a stroke of its own.' }}
    </p>
    <div class="told small">
      <span>{{ isClients ? 'Its tempo, as the client’s text has it' : 'Its tempo, if you know it' }}</span>
      <SmallField :model-value="beats.edits.bpm ?? ''" aria-label="Its tempo in bpm" inputmode="decimal" @set="tell" />
    </div>
    <p v-if="beats.edits.bpm && !fitsTold" class="attention small" role="status">
      No beats of {{ beats.edits.bpm }} bpm are in it. What is shown was heard without it.
    </p>
    <template v-if="readings.length > 1">
      <p class="quiet small">
        {{
          levelSure > 0.7 ? 'It is quite sure of the beat. Otherwise:' : 'The beat may be another. It can be heard as:'
        }}
      </p>
      <ChoiceGroup label="Ways to hear it">
        <Choice
          v-for="(words, i) in readings"
          :key="i"
          size="x-small"
          :on="isReading(i)"
          :disabled="setup.listening"
          @click="hear(i)"
          >{{ words }}</Choice
        >
      </ChoiceGroup>
    </template>
    <div class="choices">
      <v-btn size="small" :disabled="setup.listening" @click="setup.edit({ factor: beats.edits.factor / 2 })"
        >Half as many</v-btn
      >
      <v-btn size="small" :disabled="setup.listening" @click="setup.edit({ factor: beats.edits.factor * 2 })"
        >Twice as many</v-btn
      >
      <v-btn size="small" :disabled="setup.listening" @click="setup.edit({ factor: beats.edits.factor * 1.5 })"
        >Three for two</v-btn
      >
      <v-btn size="small" :disabled="setup.listening" @click="setup.edit({ halves: (beats.edits.halves + 1) % 2 })"
        >Half a beat later</v-btn
      >
      <v-btn size="small" :disabled="setup.listening" @click="setup.edit({ shift: beats.edits.shift - 1 })"
        >One a beat earlier</v-btn
      >
      <v-btn size="small" :disabled="setup.listening" @click="setup.edit({ shift: beats.edits.shift + 1 })"
        >One a beat later</v-btn
      >
    </div>
    <ChoiceGroup label="Meter">
      <Choice
        v-for="m in METERS"
        :key="m.label"
        :on="isMeter(m.meter)"
        :disabled="setup.listening"
        @click="setup.edit({ meter: m.meter })"
        >{{ m.label }}</Choice
      >
    </ChoiceGroup>
    <p class="quiet small">
      Drag a beat that is wrong: it is pinned there, and the rest is fitted around it. Or play, and tap two beats or
      more: where one tempo holds, that is enough.
    </p>
    <div class="choices">
      <v-btn size="small" :disabled="!pass.rolling" @click="tap"
        >Tap <kbd>{{ keyboards.computerPlays ? 'Ctrl T' : 'T' }}</kbd></v-btn
      >
      <span v-if="run.length" class="quiet small">{{ many(run.length, 'tap') }}</span>
      <v-btn
        v-if="beats.edits.pins.length || beats.edits.taps.length"
        size="small"
        :disabled="setup.listening"
        @click="setup.edit({ pins: [], taps: [] })"
        >Clear {{ many(beats.edits.pins.length, 'pin') }} and {{ many(beats.edits.taps.length, 'tap') }}</v-btn
      >
    </div>
    <div class="choices end">
      <v-btn :disabled="!fitted || setup.inPass" @click="setup.takeTempo()">Let the song follow it</v-btn>
      <v-btn variant="text" @click="setup.dropBeats()">Leave it</v-btn>
    </div>
  </div>
</template>

<style scoped>
.tools {
  padding: 10px 12px;
  display: grid;
  gap: 8px;
}
.said {
  font-size: 17px;
  margin: 0;
}
.small {
  font-size: 12px;
  margin: 0;
}
.told {
  display: grid;
  grid-template-columns: 1fr 72px;
  gap: 8px;
  align-items: center;
}
.end {
  margin-top: 2px;
  align-items: center;
}
</style>
