<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref, watch } from 'vue';
import { midiForm, midiTracks } from '~~/core/import/fromMidi';
import { useBackings } from '~/backings/backings';
import { useSetup } from './setup';
import { useSong } from '~/song/song';
import { vFocus } from '~/controls/focus';
import { newBacking } from '~~/core/document/backing';

/** Choice of what to take from an imported MIDI file. */
const song = useSong();
const setup = useSetup();
const backings = useBackings();
const offer = computed(() => backings.offered[0]);
const form = computed(() => offer.value && midiForm(offer.value.file, () => crypto.randomUUID()));
const tracks = computed(() => (offer.value ? midiTracks(offer.value.file) : []));
const tempo = ref(true);
const sections = ref(true);
const chosen = ref<boolean[]>([]);
watch(
  offer,
  () => {
    tempo.value = sections.value = true;
    chosen.value = tracks.value.map(() => true);
  },
  { immediate: true },
);

const tempoWords = computed(() => {
  const changes = offer.value?.file.tempo ?? [];
  const first = Math.round((changes[0]?.bpm ?? 120) * 10) / 10;
  const { beats, unit } = offer.value?.file.meter[0] ?? { beats: 4, unit: 4 };
  return `${changes.length === 1 ? `${first} bpm` : `${changes.length} tempos from ${first} bpm`}, ${beats}/${unit}`;
});

/** Most backings of a song. */
const MOST = 32;

function take(): void {
  const now = offer.value;
  const f = form.value;
  if (!now || !f || !song.document) return;
  const wanted = tracks.value.filter((_, i) => chosen.value[i]);
  backings.settle(now.audio);
  if (tempo.value) setup.retime({ tempo: f.tempo, meter: f.meter, bars: f.bars });
  if (sections.value && f.sections.length) song.run({ type: 'set sections', sections: f.sections });
  for (const track of wanted.slice(0, MOST - song.document.backings.length)) {
    song.run({
      type: 'add backing',
      backing: newBacking({
        id: crypto.randomUUID(),
        name: track.name,
        audio: now.audio,
        midi: { track: track.track, program: track.program, drums: track.drums },
        gainDb: -6,
        length: track.length,
      }),
    });
  }
}
</script>

<template>
  <v-dialog
    :model-value="Boolean(offer)"
    max-width="460"
    persistent
    :aria-label="`What to take from ${offer?.name ?? 'a file'}`"
  >
    <v-card v-if="offer" class="offer">
      <h2>{{ offer.name }}</h2>
      <p class="quiet">A MIDI file. What should the song take from it?</p>
      <v-checkbox v-model="tempo" density="compact" hide-details :label="`Tempo and meter: ${tempoWords}`" />
      <v-checkbox
        v-if="form!.sections.length"
        v-model="sections"
        density="compact"
        hide-details
        :label="`${many(form!.sections.length, 'section')} from its markers`"
      />
      <v-checkbox
        v-for="(track, i) in tracks"
        :key="i"
        v-model="chosen[i]"
        density="compact"
        hide-details
        :label="`${track.name}, as a backing (${track.drums ? 'drums' : track.notes + ' notes'})`"
      />
      <p v-if="tracks.length === 0" class="quiet">It has no notes.</p>
      <div class="choices">
        <v-btn v-focus @click="take">Take it</v-btn>
        <v-btn variant="text" @click="backings.settle(offer.audio)">Nothing of it</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.offer {
  padding: 18px 22px;
  display: grid;
  gap: 6px;
}
h2 {
  font-size: 19px;
  margin: 0;
}
p {
  margin: 0;
}
.choices {
  margin-top: 8px;
}
</style>
