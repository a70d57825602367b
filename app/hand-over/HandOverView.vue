<script setup lang="ts">
import { computed } from 'vue';
import { mdiTrayArrowDown } from '@mdi/js';
import { writeMidiFile } from '~~/core/files/smf';
import { fileName, midiSongOf, notesLeftOut } from '~~/core/handover/midi';
import { barAt } from '~~/core/time/meter';
import { atHand, type Part } from '~~/core/document/part';
import { joinsOf } from '~~/core/picking/joins';
import { joinsWords } from '~~/core/picking/sentence';
import { SILENCE } from '~~/core/performance/notes';
import { useLayers } from '~/song/layers';
import { useReading } from '~/song/reading';
import { PART_INKS } from '~/drawing/inks';
import { saveBytes } from '~/controls/save';
import { useSong } from '~/song/song';
import { vHint } from '~/controls/hint';

const song = useSong();

const layers = useLayers();

const reading = useReading();

const rows = computed(() =>
  atHand(song.document!.parts).map((part) => {
    const line = reading.lines.get(part.id);
    const notes = line?.notes ?? [];
    const bars = new Set(notes.map((n) => barAt(reading.maps!.meter, n.start))).size;
    const takes = new Map(part.takes.map((t) => [t.id, t]));
    const { tempo, meter } = reading.maps!;
    const joins = joinsOf(part, (id) => (takes.has(id) ? reading.readTake(takes.get(id)!) : SILENCE), tempo, meter);
    return {
      part,
      joins: joins.some((j) => j.state === 'open') ? joinsWords(joins) : '',
      notes: notes.length,
      leftOut: line ? notesLeftOut(line, reading.maps!.end) : 0,
      bars,
      file: fileName(song.document!.title, part.name),
    };
  }),
);
const playedParts = computed(() => rows.value.filter((r) => r.notes > 0).map((r) => r.part));
const all = computed(() => fileName(song.document!.title, 'all parts'));

function save(name: string, parts: readonly Part[]): void {
  saveBytes(name, writeMidiFile(midiSongOf(song.document!, parts, layers.closed)), 'audio/midi');
  song.run({ type: 'hand over', parts: parts.map((p) => p.id), at: new Date().toISOString() });
}
</script>

<template>
  <div class="over">
    <section class="brief sheet">
      <span class="label">Files</span>
      <p class="sentence names">
        <template v-if="playedParts.length"
          >Standard MIDI Files from bar 1, with tempo, meter and sections inside; every file is
          <b>{{ song.document!.bars }} bars</b> long.</template
        >
        <template v-else>Nothing is played yet, so there is nothing to hand over.</template>
      </p>
    </section>
    <div class="sheet table">
      <v-table aria-label="Parts and their files">
        <thead>
          <tr>
            <th>Part</th>
            <th>Played</th>
            <th>Notes</th>
            <th>File</th>
            <th><span class="unseen">Save</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.part.id">
            <td class="names part"><i :style="{ background: PART_INKS[row.part.ink] }" />{{ row.part.name }}</td>
            <td :class="{ short: row.bars < song.document!.bars }">
              {{ row.bars ? `${row.bars} of ${song.document!.bars} bars` : 'not played yet' }}
            </td>
            <td class="figures">
              {{ row.notes
              }}<span
                v-if="row.leftOut"
                class="short"
                v-hint="`A file begins at bar 1 and ends with the song: ${row.leftOut} notes lie outside it.`"
              >
                less {{ row.leftOut }} outside the song</span
              >
              <NuxtLink
                v-if="row.joins"
                class="short joins"
                :to="`/songs/${song.id}/pick`"
                @click="reading.shownId = row.part.id"
                >{{ row.joins }}</NuxtLink
              >
            </td>
            <td class="quiet">{{ row.file }}</td>
            <td>
              <v-btn
                :disabled="!row.notes"
                :prepend-icon="mdiTrayArrowDown"
                :aria-label="`Save ${row.part.name}`"
                @click="save(row.file, [row.part])"
                >Save</v-btn
              >
            </td>
          </tr>
        </tbody>
        <tfoot>
          <tr>
            <td class="names">All parts in one file</td>
            <td>{{ playedParts.length }} part{{ playedParts.length === 1 ? '' : 's' }}</td>
            <td />
            <td class="quiet">{{ all }}</td>
            <td>
              <v-btn :disabled="!playedParts.length" :prepend-icon="mdiTrayArrowDown" @click="save(all, playedParts)"
                >Save all</v-btn
              >
            </td>
          </tr>
        </tfoot>
      </v-table>
    </div>
  </div>
</template>

<style scoped>
.over {
  display: grid;
  gap: 10px;
}
.table {
  padding: 6px 18px 14px;
  overflow: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-size: 11px;
  letter-spacing: 0.09em;
  text-transform: uppercase;
  color: var(--ink-2);
  font-weight: 400;
  padding: 10px 8px 6px;
}
td {
  padding: 9px 8px;
  border-top: 1px solid var(--rule-soft);
}
tfoot td {
  border-top: 2px solid var(--rule);
}
td:last-child {
  text-align: right;
}
.part {
  font-size: 16px;
}
.part i {
  display: inline-block;
  width: 4px;
  height: 16px;
  border-radius: 2px;
  margin-right: 9px;
  vertical-align: -2px;
}
.short {
  color: var(--copper-ink);
}
.joins {
  display: block;
  font-family: var(--text);
}
</style>
