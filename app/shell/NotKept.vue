<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref } from 'vue';
import { writeMidiFile } from '~~/core/files/smf';
import { midiOfLayers } from '~~/core/handover/rescue';
import { closedWhereCutOff } from '~~/core/song/recovery';
import { saveBytes } from '~/controls/save';
import { useSync } from '~/sync/sync';
import { layersIn, parkedWords, type ParkedLayer } from '~/sync/refusedRequests';
import type { Parked } from '~/sync/store';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';

/** List of requests that the server refused, with the reason, until the player decides on each. */
const sync = useSync();
const song = useSong();
const layers = useLayers();
const reading = useReading();
const notices = useNotices();
const open = ref(false);
const asked = ref('');

const rows = computed(() =>
  sync.parked.map((parked) => ({
    parked,
    words: parkedWords(parked),
    when: new Date(parked.at).toLocaleString(),
  })),
);

/** Part that receives a take: the layer's own, or the shown one. */
const partFor = ({ header }: ParkedLayer) =>
  song.document?.parts.find((p) => p.id === header.partId) ?? reading.shown ?? null;
const canBeTake = ({ isTake, notes }: Parked): boolean => isTake && notes > 0 && reading.shown !== null;

async function save(parked: Parked): Promise<void> {
  const stem = `Not kept ${parked.at.slice(0, 16).replaceAll(/[^0-9]+/g, '-')}`;
  const requests = await sync.parkedRequests(parked.id);
  const played = layersIn(requests).filter((l) => l.events.length > 0);
  const sound = parked.sound ? await sync.parkedSound(parked.id, parked.at) : [];
  if (played.length) saveBytes(`${stem}.mid`, writeMidiFile(midiOfLayers(played)), 'audio/midi');
  sound.forEach((file, i) => saveBytes(`${stem}${i ? ` ${i + 1}` : ''}.wav`, file, 'audio/wav'));
  if (played.length || sound.length) return;
  const text = JSON.stringify({ ...parked, errands: requests }, null, 2);
  saveBytes(`${stem}.json`, new TextEncoder().encode(text), 'application/json');
}

async function makeTakes(parked: Parked): Promise<void> {
  const passId = crypto.randomUUID();
  const names = new Set<string>();
  for (const refused of layersIn(await sync.parkedRequests(parked.id))) {
    const part = partFor(refused);
    if (!part) return;
    const { header, events, mode } = refused;
    const own = { ...header, id: crypto.randomUUID(), passId, takeId: crypto.randomUUID(), partId: part.id };
    const { layer, result } = closedWhereCutOff({ header: own, mode, closing: null, events });
    if (!result) continue;
    layers.store([{ layer, mode: 'new take' }]);
    song.run({ type: 'record', result: { ...result, mode: 'new take' }, at: new Date().toISOString() });
    names.add(part.name);
  }
  // Sound is not part of such a take, and stays until it is saved or discarded.
  if (!parked.sound) await sync.letGo(parked.id);
  const stays = parked.sound ? ' Its sound lies here still: save it as a file.' : '';
  notices.say(`A take of ${[...names].join(', ')} has ${many(parked.notes, 'note')} of it now.${stays}`, 'plain');
}

async function letGo(parked: Parked): Promise<void> {
  if (asked.value !== parked.id) {
    asked.value = parked.id;
    return;
  }
  asked.value = '';
  await sync.letGo(parked.id);
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
            <v-btn size="small" @click="sync.tryAgain(row.parked.id)">Try again</v-btn>
            <v-btn v-if="canBeTake(row.parked)" size="small" @click="makeTakes(row.parked)">Make it a take</v-btn>
            <v-btn size="small" @click="save(row.parked)">Save as a file</v-btn>
            <v-btn size="small" variant="text" @click="letGo(row.parked)">{{
              asked === row.parked.id ? 'Discard for good' : 'Discard'
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
