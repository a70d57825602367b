<script setup lang="ts">
import { computed, ref } from 'vue';
import { writeMidiFile } from '~~/core/files/smf';
import { midiOfEvents } from '~~/core/handover/rescue';
import { closedWhereCutOff } from '~~/core/song/recovery';
import { saveBytes } from '~/controls/save';
import { useKeeping } from '~/keeping/keeping';
import { layerIn, parkedWords, soundIn } from '~/keeping/parked';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';

/** What the server refused, with why, until the player has decided what becomes of it. */
const keeping = useKeeping();
const song = useSong();
const layers = useLayers();
const reading = useReading();
const notices = useNotices();
const open = ref(false);
const asked = ref('');

const rows = computed(() =>
  keeping.parked.map((parked) => {
    const layer = layerIn(parked);
    const notes = layer.events.filter((e) => e.message.type === 'noteOn').length;
    return { parked, layer, notes, words: parkedWords(parked), when: new Date(parked.at).toLocaleString() };
  }),
);
type Row = (typeof rows.value)[number];

/** Which part a take of it would go to: its own, or the one that is shown. */
const partFor = ({ layer }: Row) =>
  song.document?.parts.find((p) => p.id === layer.header?.partId) ?? reading.shown ?? null;
const canBeTake = (row: Row) => row.notes > 0 && row.layer.header !== null && partFor(row) !== null;

function save({ parked, layer, notes }: Row): void {
  const stem = parked.at.slice(0, 16).replaceAll(/[^0-9]+/g, '-');
  if (layer.header && notes) {
    saveBytes(`Not kept ${stem}.mid`, writeMidiFile(midiOfEvents(layer.header, layer.events)), 'audio/midi');
    return;
  }
  const sound = soundIn(parked);
  if (sound) {
    saveBytes(`Not kept ${stem}.wav`, sound, 'audio/wav');
    return;
  }
  const text = JSON.stringify(parked, null, 2);
  saveBytes(`Not kept ${stem}.json`, new TextEncoder().encode(text), 'application/json');
}

async function makeTake(row: Row): Promise<void> {
  const part = partFor(row);
  const { header, events, mode } = row.layer;
  if (!part || !header) return;
  const id = crypto.randomUUID();
  const own = { ...header, id, passId: id, takeId: crypto.randomUUID(), partId: part.id };
  const { layer, result } = closedWhereCutOff({ header: own, mode, closing: null, events });
  if (!result) return;
  layers.store([{ layer, mode: 'new take' }]);
  song.run({ type: 'record', result: { ...result, mode: 'new take' }, at: new Date().toISOString() });
  await keeping.letGo(row.parked.id);
  notices.say(`${row.notes} notes are a take of ${part.name} now.`, 'plain');
}

async function letGo({ parked }: Row): Promise<void> {
  if (asked.value !== parked.id) {
    asked.value = parked.id;
    return;
  }
  asked.value = '';
  await keeping.letGo(parked.id);
}
</script>

<template>
  <v-btn v-if="rows.length" size="small" class="not-kept" @click="open = true">Not kept: {{ rows.length }}</v-btn>
  <v-dialog v-model="open" max-width="640" aria-label="Not kept">
    <v-card class="card">
      <h2>Not kept</h2>
      <p class="quiet">
        The server would not have this. It lies in this browser, whole, until you say what becomes of it.
      </p>
      <ul v-if="rows.length">
        <li v-for="row in rows" :key="row.parked.id">
          <div>
            <b>{{ row.words }}</b> <span class="quiet">{{ row.when }}</span>
          </div>
          <p>{{ row.parked.reason }}</p>
          <div class="choices">
            <v-btn size="small" @click="keeping.tryAgain(row.parked.id)">Try again</v-btn>
            <v-btn v-if="canBeTake(row)" size="small" @click="makeTake(row)">Make it a take</v-btn>
            <v-btn size="small" @click="save(row)">Save as a file</v-btn>
            <v-btn size="small" variant="text" @click="letGo(row)">{{
              asked === row.parked.id ? 'Let it go for good' : 'Let go'
            }}</v-btn>
          </div>
        </li>
      </ul>
      <p v-else>There is nothing left.</p>
      <div class="choices close"><v-btn variant="text" @click="open = false">Close</v-btn></div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.not-kept {
  border-color: var(--copper);
  color: var(--copper-ink);
}
.card {
  padding: 18px 22px;
  display: grid;
  gap: 8px;
}
h2 {
  font-size: 19px;
  margin: 0;
}
p {
  margin: 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 50vh;
  overflow: auto;
}
li {
  padding: 10px 0;
  border-top: 1px solid var(--rule-soft);
  display: grid;
  gap: 6px;
}
.close {
  justify-content: end;
}
</style>
