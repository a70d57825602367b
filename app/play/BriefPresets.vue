<script setup lang="ts">
import { computed, onMounted, ref } from 'vue';
import { mdiBookmarkOutline, mdiClose } from '@mdi/js';
import { presetOf } from '~~/core/recording/presets';
import { usePresets } from './presets';
import { useSong } from '~/song/song';
import { vHint } from '~/controls/hint';

/** Ways of recording by name, and the way back to a plain new take. */
const song = useSong();
const presets = usePresets();
const name = ref('');
const now = computed(() => JSON.stringify(presetOf(song.document!.brief)));
onMounted(() => void presets.load());

async function keep(): Promise<void> {
  if (await presets.keep(name.value, presetOf(song.document!.brief))) name.value = '';
}
</script>

<template>
  <div class="presets">
    <v-btn
      size="small"
      variant="outlined"
      :disabled="presets.isPlain"
      v-hint="'Back to a plain new take from the playhead'"
      @click="presets.plain()"
      >Plain new take<kbd class="key">N</kbd></v-btn
    >
    <v-menu :close-on-content-click="false">
      <template #activator="{ props }"
        ><v-btn v-bind="props" size="small" variant="outlined"
          ><v-icon :icon="mdiBookmarkOutline" size="16" start />Presets</v-btn
        ></template
      >
      <v-card class="pop" min-width="280" max-width="360" role="dialog" aria-label="Presets of the brief">
        <div class="label">Presets of the brief</div>
        <p v-if="presets.all.length === 0" class="quiet">
          None yet. A preset keeps the count, the wait, lead-in and lead-out, what happens to what is there, the loop’s
          laps and quantize; which part and which bars stay the song’s.
        </p>
        <div v-for="p in presets.all" :key="p.name" class="row">
          <Choice :on="JSON.stringify(p.brief) === now" @click="presets.recall(p)">{{ p.name }}</Choice>
          <v-btn
            size="x-small"
            variant="text"
            :icon="mdiClose"
            :aria-label="`Forget ${p.name}`"
            @click="presets.forget(p.name)"
          />
        </div>
        <form class="row" @submit.prevent="keep">
          <v-text-field v-model="name" label="Keep the brief as" maxlength="40" />
          <v-btn type="submit" size="small" variant="outlined" :disabled="!name.trim()">Keep</v-btn>
        </form>
      </v-card>
    </v-menu>
  </div>
</template>

<style scoped>
.presets {
  display: flex;
  gap: 6px;
}
.key {
  margin-left: 6px;
}
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
