<script setup lang="ts">
import { computed, onMounted, ref } from 'vue';
import { mdiBookmarkOutline, mdiClose } from '@mdi/js';
import { useKept } from '~/kept/kept';
import { useSong } from '~/song/song';
import { useDelivery } from './delivery';

/** Deliveries by the client's name, for other jobs. Which parts stay at home is the job's own. */
const kept = useKept();
const out = useDelivery();
const song = useSong();
const name = ref('');
onMounted(() => void kept.ready());
const plain = computed(() => ({ ...out.delivery, leftOut: [] }));
const isNow = (value: unknown) => JSON.stringify(value) === JSON.stringify(plain.value);
async function keep(): Promise<void> {
  if (await kept.keep('deliveries', name.value, plain.value)) name.value = '';
}
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props }"
      ><v-btn v-bind="props" size="small" variant="outlined"
        ><v-icon :icon="mdiBookmarkOutline" size="16" start />Clients</v-btn
      ></template
    >
    <v-card class="pop" min-width="280" max-width="360" role="dialog" aria-label="Deliveries by client">
      <div class="label">Deliveries by client</div>
      <p v-if="kept.deliveries.length === 0" class="quiet">
        None yet. What is chosen for {{ song.job }} can be kept under the client’s name, for their next job.
      </p>
      <div v-for="d in kept.deliveries" :key="d.name" class="row">
        <Choice
          :on="isNow({ ...d.value, leftOut: [] })"
          @click="out.set({ ...d.value, leftOut: out.delivery.leftOut })"
          >{{ d.name }}</Choice
        >
        <v-btn
          size="x-small"
          variant="text"
          :icon="mdiClose"
          :aria-label="`Forget ${d.name}`"
          @click="kept.forget('deliveries', d.name)"
        />
      </div>
      <form class="row" @submit.prevent="keep">
        <v-text-field v-model="name" label="Keep this delivery as" maxlength="60" />
        <v-btn type="submit" size="small" variant="outlined" :disabled="!name.trim()">Keep</v-btn>
      </form>
    </v-card>
  </v-menu>
</template>

<style scoped>
.pop {
  padding: 14px;
  display: grid;
  gap: 8px;
}
.pop p {
  margin: 0;
  font-size: 13px;
}
.row {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px;
  align-items: center;
}
</style>
