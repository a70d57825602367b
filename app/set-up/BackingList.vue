<script setup lang="ts">
import { ref } from 'vue';
import { mdiClose } from '@mdi/js';
import type { Backing } from '~~/core/document/backing';
import { useFileDrop } from '~/controls/useFileDrop';
import { useBackings } from '~/backings/backings';
import { useSetup } from './setup';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { vHint } from '~/controls/hint';

/** Backings of the song: import, name, level, and place against bar 1. */
const song = useSong();
const openSong = useOpenSong();
const setup = useSetup();
const sound = useSound();
const backings = useBackings();
const picker = ref<HTMLInputElement | null>(null);
const list = ref<HTMLElement | null>(null);
const { over } = useFileDrop(list, (files) => void backings.bringIn(files));

function picked(): void {
  const files = [...(picker.value?.files ?? [])];
  if (files.length) void backings.bringIn(files);
  picker.value!.value = '';
}
const set = (
  backing: Backing,
  to: Partial<Pick<Backing, 'name' | 'gainDb' | 'pan' | 'muted' | 'solo' | 'keepsPitch'>>,
) => openSong.setBacking(backing.id, to);
function place(backing: Backing, text: string): void {
  const offset = Number(text.replace(',', '.').replace('−', '-'));
  if (Number.isFinite(offset) && Math.abs(offset) <= 3600)
    song.run({ type: 'move backing', backing: backing.id, offset });
}
const dB = (value: number) => `${Math.round(value)} dB`.replace('-', '−');
const panText = (pan: number) =>
  Math.abs(pan) < 0.05 ? 'middle' : `${Math.round(Math.abs(pan) * 100)}% ${pan < 0 ? 'left' : 'right'}`;
const lengthText = (s: number) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, '0')}`;
</script>

<template>
  <div ref="list" class="backings">
    <div class="label head">
      <span>Backings</span><button class="add" @click="picker!.click()">Bring in files</button>
    </div>
    <article
      v-for="backing in openSong.document.backings"
      :key="backing.id"
      class="backing sheet"
      :class="{ selected: setup.selected?.id === backing.id }"
    >
      <div class="row">
        <input
          class="name"
          :value="backing.name"
          maxlength="120"
          :aria-label="`Name of ${backing.name}`"
          @focus="setup.selectedId = backing.id"
          @change="
            ($event.target as HTMLInputElement).value.trim() &&
            set(backing, { name: ($event.target as HTMLInputElement).value.trim() })
          "
        />
        <span class="quiet small">{{
          backing.midi ? (backing.midi.drums ? 'MIDI drums' : 'MIDI') : lengthText(backing.length)
        }}</span>
        <v-btn
          :icon="mdiClose"
          size="x-small"
          variant="text"
          :aria-label="`Take ${backing.name} out`"
          @click="song.run({ type: 'take backing out', backing: backing.id })"
        />
      </div>
      <LevelBar :label="backing.name" :peak="sound.peakOf(backing.id)" />
      <MixRow
        :label="backing.name"
        :gain-db="backing.gainDb"
        :muted="backing.muted"
        :solo="backing.solo"
        :value-text="dB(backing.gainDb)"
        @set="(to) => set(backing, to)"
      />
      <div class="fine">
        <label :for="`pan ${backing.id}`" class="quiet">Pan</label>
        <v-slider
          :id="`pan ${backing.id}`"
          :model-value="backing.pan"
          min="-1"
          max="1"
          step="0.05"
          density="compact"
          :aria-label="`${backing.name}, pan`"
          @end="(pan: number) => set(backing, { pan })"
        />
        <span class="quiet small">{{ panText(backing.pan) }}</span>
      </div>
      <label v-if="openSong.document.transposition.length > 0 || backing.keepsPitch" class="pitch">
        <input
          type="checkbox"
          :checked="backing.keepsPitch"
          @change="set(backing, { keepsPitch: ($event.target as HTMLInputElement).checked })"
        />
        Keeps its own pitch
      </label>
      <template v-if="!backing.midi">
        <div class="fine">
          <label :for="`at ${backing.id}`" class="quiet">Starts</label>
          <SmallField
            :id="`at ${backing.id}`"
            class="figures field"
            type="number"
            step="0.001"
            :model-value="Math.round(backing.offset * 1000) / 1000"
            :aria-label="`Where ${backing.name} starts, in seconds from bar 1`"
            @set="(text: string) => place(backing, text)"
          />
          <span class="quiet small">s from bar 1</span>
        </div>
        <div class="choices">
          <v-btn size="small" v-hint="'What sounds at the playhead becomes bar 1'" @click="setup.barOneHere(backing)"
            >Bar 1 is here</v-btn
          >
          <v-btn
            size="small"
            :disabled="setup.listening"
            @click="
              setup.selectedId = backing.id;
              setup.findBeats(backing);
            "
            >Find the beats</v-btn
          >
          <v-btn v-if="setup.selected?.id !== backing.id" size="small" @click="setup.selectedId = backing.id"
            >Look at it</v-btn
          >
        </div>
      </template>
    </article>
    <div class="drop" :class="{ over }">
      <template v-if="backings.busy">Bringing in {{ backings.busy }}</template>
      <template v-else>Drop files here: WAV, MP3, FLAC, OGG, MIDI; PDF or pictures as the sheet</template>
    </div>
    <input
      ref="picker"
      type="file"
      multiple
      accept=".mid,.midi,.wav,.mp3,.flac,.ogg,.aif,.aiff,.txt,.pdf,.png,.jpg,.jpeg,.webp,audio/*"
      hidden
      @change="picked"
    />
  </div>
</template>

<style scoped>
.backings {
  display: grid;
  gap: 6px;
  align-content: start;
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
.backing {
  padding: 6px 12px 8px;
  display: grid;
  gap: 3px;
}
.backing.selected {
  border-color: var(--ink);
}
.row {
  display: flex;
  align-items: center;
  gap: 6px;
}
.name {
  font-weight: 600;
  flex: 1;
  min-width: 0;
  border-radius: 6px;
  padding: 1px 4px;
  margin-left: -4px;
  color: var(--ink);
}
.name:hover,
.name:focus {
  background: var(--rule-soft);
}
.small {
  font-size: 12px;
}
.fine {
  display: grid;
  grid-template-columns: 48px 1fr 84px;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.fine :deep(.v-slider) {
  margin: 0;
  --v-input-control-height: 22px;
}
.field {
  width: 100%;
}
.pitch {
  display: flex;
  gap: 6px;
  font-size: 13px;
}
.drop {
  border: 1.5px dashed var(--rule);
  border-radius: 10px;
  padding: 12px;
  text-align: center;
  color: var(--ink-2);
  font-size: 13px;
}
.drop.over {
  border-color: var(--copper);
  background: var(--copper-soft);
}
</style>
