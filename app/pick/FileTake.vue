<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { ref, shallowRef } from 'vue';
import { layerOfTrack, offerTake, type OfferedFile } from '~~/core/import/takeFromMidi';
import { wordsOf } from '~/api/api';
import { vHint } from '~/controls/hint';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { usePick } from './pick';

/** Import of a MIDI file as a take of the shown part, for comparing what a client sends back. */
const pick = usePick();
const song = useSong();
const openSong = useOpenSong();
const layers = useLayers();
const notices = useNotices();
const picker = ref<HTMLInputElement | null>(null);
const offered = shallowRef<OfferedFile | null>(null);

async function chosen(): Promise<void> {
  const file = picker.value?.files?.[0];
  picker.value!.value = '';
  const part = pick.part;
  if (!file || !part) return;
  try {
    const found = offerTake(new Uint8Array(await file.arrayBuffer()), file.name, part);
    if (found.likely) take(found, found.likely.track);
    else offered.value = found;
  } catch (error) {
    notices.say(`${file.name}: ${wordsOf(error)} No take was made of it.`);
  }
}
function take(from: OfferedFile, track: number): void {
  offered.value = null;
  const part = pick.part;
  if (!part) return;
  const layer = layerOfTrack(from, track, part, openSong.document, () => crypto.randomUUID(), new Date().toISOString());
  layers.store([{ layer, mode: 'new take' }]);
  const { header, closing } = layer;
  song.run({ type: 'bring in take', part: part.id, header, range: closing.range, at: header.startedAt });
  const made = openSong.document.parts.find((p) => p.id === part.id)!.takes.at(-1)!;
  notices.say(`${from.name} is take ${made.number} of ${part.name}, on the song’s bars.`, 'plain');
}
</script>

<template>
  <span class="file">
    <v-btn
      size="small"
      :disabled="!pick.part"
      v-hint="'A MIDI file comes in as a take of this part'"
      @click="picker!.click()"
      >From a MIDI file</v-btn
    >
    <input ref="picker" type="file" accept=".mid,.midi,audio/midi" hidden @change="chosen" />
    <v-dialog
      :model-value="offered !== null"
      max-width="420"
      aria-label="Tracks of the file"
      @update:model-value="offered = null"
    >
      <v-card v-if="offered" class="card">
        <h2>{{ offered.name }}</h2>
        <p class="quiet">Which of its tracks is a take of {{ pick.part?.name }}?</p>
        <div class="choices">
          <v-btn v-for="t in offered.tracks" :key="t.track" size="small" @click="take(offered, t.track)"
            >{{ t.name }}, {{ many(t.notes, 'note') }}</v-btn
          >
        </div>
        <v-btn variant="text" size="small" @click="offered = null">None of them</v-btn>
      </v-card>
    </v-dialog>
  </span>
</template>

<style scoped>
.file {
  position: relative;
}
.card {
  padding: 18px 22px;
  display: grid;
  gap: 10px;
  justify-items: start;
}
h2,
p {
  margin: 0;
}
</style>
