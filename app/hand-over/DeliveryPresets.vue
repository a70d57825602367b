<script setup lang="ts">
import { computed } from 'vue';
import { mdiBookmarkOutline } from '@mdi/js';
import { useKept } from '~/kept/kept';
import NamedList from '~/kept/NamedList.vue';
import { useSong } from '~/song/song';
import { useDelivery } from './delivery';

/** Deliveries by the client's name, for other jobs. Which parts are left out belongs to the job itself. */
const kept = useKept();
const out = useDelivery();
const song = useSong();
const plain = computed(() => ({ ...out.delivery, leftOut: [] }));
const items = computed(() => {
  const now = JSON.stringify(plain.value);
  return kept.deliveries.map((d) => ({ name: d.name, on: JSON.stringify({ ...d.value, leftOut: [] }) === now }));
});
function use(name: string): void {
  const chosen = kept.deliveries.find((d) => d.name === name)!.value;
  out.set({ ...chosen, leftOut: out.delivery.leftOut });
}
</script>

<template>
  <Popup label="Deliveries by client" @update:model-value="(open: boolean) => open && kept.refresh()">
    <template #activator="{ props }"
      ><v-btn v-bind="props" size="small" variant="outlined"
        ><v-icon :icon="mdiBookmarkOutline" size="16" start />Clients</v-btn
      ></template
    >
    <div class="label">Deliveries by client</div>
    <NamedList
      :items="items"
      :none="`None yet. What is set for ${song.job} can be kept under the client’s name, for their next job.`"
      label="Keep this delivery as"
      :trouble="kept.unread"
      :keep="(name) => kept.keep('deliveries', name, plain)"
      @use="use"
      @forget="(name) => kept.forget('deliveries', name)"
    />
  </Popup>
</template>
