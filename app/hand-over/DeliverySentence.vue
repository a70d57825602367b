<script setup lang="ts">
import { computed, ref } from 'vue';
import {
  AUDIO_FILES,
  CLICKS,
  deliveryPhrases,
  type DeliveryPhrase,
  DEPTHS,
  ENDS,
  list,
  MIDI_FILES,
  nameBy,
  RATES,
  rateWords,
  RESOLUTIONS,
  type Delivery,
  type DeliveryControl,
} from '~~/core/handover/delivery';
import { atHand } from '~~/core/document/part';
import { keyInBar } from '~~/core/document/transposition';
import { keyWords } from '~~/core/vocabulary/key';
import { tuningWords } from '~~/core/vocabulary/tuning';
import { withPunctuation } from '~/controls/phrasePunctuation';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { useDelivery } from './delivery';

/** Sentence of the delivery; each phrase opens what it names. */
const song = useSong();
const openSong = useOpenSong();
const out = useDelivery();
const now = computed(() => out.delivery);
const set = (to: Partial<Delivery>) => void out.set(to);

const sounding = computed(() => keyInBar(openSong.document, 1));
const parts = computed(() => atHand(openSong.document.parts));
const once = computed(() => {
  if (out.which === 'all') return '';
  if (out.which === 'changed') return 'what changed';
  return `${list(out.going.map((p) => p.name))} alone`;
});
const phrases = computed(() =>
  withPunctuation(
    deliveryPhrases(
      now.value,
      { going: out.going.length, all: parts.value.length, ...(once.value ? { once: once.value } : {}) },
      sounding.value && keyWords(sounding.value),
    ),
  ),
);
const NAMES: Readonly<Record<DeliveryControl, string>> = {
  parts: 'Parts that go out',
  midi: 'MIDI files',
  audio: 'Audio files',
  ends: 'How sound ends',
  key: 'Key of the song',
  extras: 'What goes with them',
  names: 'How files are named',
};
const MIDI_WORDS = { none: 'None', together: 'One file', apart: 'A file each', both: 'Both' } as const;
const AUDIO_WORDS = { none: 'None', dry: 'Dry', 'with level': 'With level', both: 'Both' } as const;
const CLICK_WORDS = { none: 'No click', accented: 'With accents', plain: 'Plain' } as const;
const END_WORDS = { song: 'With the song', 'rung out': 'Rung out, all of one length' } as const;

const isOut = (id: string) => !now.value.leftOut.includes(id);
const toggle = (id: string) =>
  set({ leftOut: isOut(id) ? [...now.value.leftOut, id] : now.value.leftOut.filter((p) => p !== id) });

const pattern = ref('');
/** Example of a file's name, for the first part. */
const namedBy = (names: string): string =>
  nameBy(names, {
    ...{ job: song.job, song: openSong.document.title, part: out.going[0]?.name ?? 'Piano', version: out.nextVersion },
    tempo: `${Math.round(openSong.document.tempo[0]!.bpm * 10) / 10} bpm`,
    key: sounding.value ? keyWords(sounding.value) : '',
  });
const example = computed(() => namedBy(pattern.value || now.value.names));
/** The sentence shows an example; its popup has the pattern. */
const shown = ({ control, text }: DeliveryPhrase): string => (control === 'names' ? namedBy(now.value.names) : text);
const trims = Array.from({ length: 53 }, (_, i) => 12 - i).map((db) => ({
  value: db as number,
  title: db === 0 ? 'as it is' : `${db > 0 ? '+' : '−'}${Math.abs(db)} dB`,
}));
const trimItems = computed(() =>
  trims.some((t) => t.value === now.value.trimDb)
    ? trims
    : [{ value: now.value.trimDb, title: `${now.value.trimDb} dB`.replace('-', '−') }, ...trims],
);
</script>

<template>
  <p class="sentence names">
    <template v-for="(phrase, i) in phrases" :key="i">
      <Popup v-if="phrase.control" :label="NAMES[phrase.control]" location="bottom start">
        <template #activator="{ props }">
          <span class="punctuated"
            ><button
              v-bind="props"
              class="opener"
              :data-control="phrase.control"
              :aria-label="`${NAMES[phrase.control]}: ${shown(phrase)}`"
              @click="pattern = now.names"
            >
              {{ shown(phrase) }}</button
            >{{ phrase.tail }}</span
          >
        </template>
        <div class="label">{{ NAMES[phrase.control] }}</div>

        <template v-if="phrase.control === 'parts'">
          <div class="choices">
            <Choice v-for="p in parts" :key="p.id" :on="isOut(p.id)" @click="toggle(p.id)">{{ p.name }}</Choice>
          </div>
          <p class="quiet">
            Of every song of this job, each time. A part with nothing played goes out once there is something.
          </p>
        </template>

        <template v-else-if="phrase.control === 'midi'">
          <ChoiceGroup label="MIDI files">
            <Choice v-for="m in MIDI_FILES" :key="m" :on="now.midi === m" @click="set({ midi: m })">{{
              MIDI_WORDS[m]
            }}</Choice>
          </ChoiceGroup>
          <template v-if="now.midi !== 'none'">
            <ChoiceGroup v-if="now.midi !== 'together'" label="Type of a part’s file">
              <Choice :on="now.midiType === 1" @click="set({ midiType: 1 })">Type 1</Choice>
              <Choice :on="now.midiType === 0" @click="set({ midiType: 0 })">Type 0, one track</Choice>
            </ChoiceGroup>
            <ChoiceGroup label="Ticks to a quarter note">
              <Choice v-for="r in RESOLUTIONS" :key="r" :on="now.resolution === r" @click="set({ resolution: r })">{{
                r
              }}</Choice>
            </ChoiceGroup>
            <v-switch
              :model-value="now.asPlayed"
              color="primary"
              density="compact"
              hide-details
              label="As played beside it"
              @update:model-value="(on: unknown) => set({ asPlayed: on === true })"
            />
            <v-switch
              :model-value="now.tuned"
              color="primary"
              density="compact"
              hide-details
              :label="`The tuning at the head of each track: ${tuningWords(openSong.document.tuning)}`"
              @update:model-value="(on: unknown) => set({ tuned: on === true })"
            />
          </template>
        </template>

        <template v-else-if="phrase.control === 'audio'">
          <ChoiceGroup label="Audio files">
            <Choice v-for="a in AUDIO_FILES" :key="a" :on="now.audio === a" @click="set({ audio: a })">{{
              AUDIO_WORDS[a]
            }}</Choice>
          </ChoiceGroup>
          <template v-if="now.audio !== 'none'">
            <p class="quiet">Dry is the sound by itself. With level, the files add up to the mix that you hear.</p>
            <ChoiceGroup label="Sample rate">
              <Choice v-for="r in RATES" :key="r" :on="now.rate === r" @click="set({ rate: r })">{{
                rateWords(r)
              }}</Choice>
            </ChoiceGroup>
            <ChoiceGroup label="Depth">
              <Choice v-for="d in DEPTHS" :key="d" :on="now.depth === d" @click="set({ depth: d })">{{ d }}</Choice>
            </ChoiceGroup>
            <ChoiceGroup label="Format">
              <Choice :on="now.format === 'wav'" @click="set({ format: 'wav' })">WAV</Choice>
              <Choice :on="now.format === 'flac'" :disabled="now.depth !== '24-bit'" @click="set({ format: 'flac' })"
                >FLAC</Choice
              >
            </ChoiceGroup>
            <p v-if="now.depth !== '24-bit'" class="quiet">FLAC has no float: 32-bit float is written as WAV.</p>
            <label class="field">
              <span>All files louder or softer</span>
              <SmallSelect
                :model-value="now.trimDb"
                :items="trimItems"
                label="All files louder or softer"
                @update:model-value="(db: number) => set({ trimDb: db })"
              />
            </label>
          </template>
        </template>

        <ChoiceGroup v-else-if="phrase.control === 'ends'" label="How sound ends">
          <Choice v-for="e in ENDS" :key="e" :on="now.ends === e" @click="set({ ends: e })">{{ END_WORDS[e] }}</Choice>
        </ChoiceGroup>

        <template v-else-if="phrase.control === 'key'">
          <KeySelect />
          <TranspositionChoice />
        </template>

        <template v-else-if="phrase.control === 'extras'">
          <ChoiceGroup label="Click track">
            <Choice v-for="c in CLICKS" :key="c" :on="now.click === c" @click="set({ click: c })">{{
              CLICK_WORDS[c]
            }}</Choice>
          </ChoiceGroup>
          <v-switch
            v-for="[name, words] in [
              ['sheets', 'Cue sheet and delivery note'],
              ['markers', 'Sections as markers in the files'],
              ['tempoMap', 'Tempo map as a MIDI file'],
              ['backing', 'Backings as they came, for reference'],
              ['pages', 'The client’s pages, as they came'],
            ] as const"
            :key="name"
            :model-value="now[name]"
            color="primary"
            density="compact"
            hide-details
            :label="words"
            @update:model-value="(on: unknown) => set({ [name]: on === true })"
          />
        </template>

        <form v-else class="naming" @submit.prevent="set({ names: pattern.trim() || now.names })">
          <v-text-field v-model="pattern" label="Pattern" maxlength="120" />
          <p class="quiet">{job} {song} {part} {tempo} {key} {version} are filled in.</p>
          <p class="example">{{ example }}.mid</p>
          <v-btn type="submit" size="small" :disabled="!pattern.trim()">Name them so</v-btn>
        </form>
      </Popup>
      <span v-else>{{ phrase.text }}</span>
    </template>
  </p>
</template>

<style scoped>
.punctuated {
  white-space: nowrap;
}
.opener {
  text-align: left;
  white-space: normal;
}
.field,
.naming {
  display: grid;
  gap: 6px;
  font-size: 13px;
}
.example {
  font-family: var(--figures);
  font-size: 12px;
  overflow-wrap: anywhere;
}
</style>
