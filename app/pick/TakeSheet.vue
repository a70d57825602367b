<script setup lang="ts">
import { computed, ref } from 'vue';
import { takeSheet, takeSheetText } from '~~/core/picking/sheet';
import { saveBytes } from '~/controls/save';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { originWords } from './origin';
import { usePick } from './pick';

/** List of all takes of the part, to read, filter and save as text. */
const emit = defineEmits<{ close: [] }>();
const pick = usePick();
const openSong = useOpenSong();
const layers = useLayers();
const filter = ref('');
const all = computed(() =>
  takeSheet(pick.part!, openSong.maps.meter, (take) =>
    originWords(take, layers.closed, layers.modes, openSong.document),
  ),
);
const rows = computed(() => {
  const wanted = filter.value.trim().toLowerCase();
  return all.value.filter((row) => Object.values(row).join(' ').toLowerCase().includes(wanted));
});
function save(): void {
  const bytes = new TextEncoder().encode(takeSheetText(pick.part!.name, rows.value));
  saveBytes(`${pick.part!.name} takes.txt`, bytes, 'text/plain');
}
</script>

<template>
  <v-card class="take-sheet">
    <div class="top">
      <h2 class="names">Takes of {{ pick.part!.name }}</h2>
      <SmallField v-model="filter" aria-label="Filter the takes" placeholder="Filter" />
      <v-btn size="small" @click="save">Save as text</v-btn>
      <v-btn size="small" @click="emit('close')">Close</v-btn>
    </div>
    <v-table density="compact" fixed-header height="420">
      <thead>
        <tr>
          <th scope="col">No.</th>
          <th scope="col">Name</th>
          <th scope="col">When</th>
          <th scope="col">Bars</th>
          <th scope="col">Mark</th>
          <th scope="col">Note</th>
          <th scope="col">Picked</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.number">
          <td class="figures">{{ row.number }}</td>
          <td>{{ row.name }}</td>
          <td>{{ row.when }}</td>
          <td>{{ row.bars }}</td>
          <td>{{ row.mark }}</td>
          <td>{{ row.note }}</td>
          <td>{{ row.picked }}</td>
        </tr>
        <tr v-if="rows.length === 0">
          <td colspan="7" class="quiet">No take says “{{ filter }}”.</td>
        </tr>
      </tbody>
    </v-table>
  </v-card>
</template>

<style scoped>
.take-sheet {
  padding: 14px;
}
.top {
  display: grid;
  grid-template-columns: 1fr 180px auto auto;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}
h2 {
  font-size: 18px;
}
</style>
