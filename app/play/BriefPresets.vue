<script setup lang="ts">
import { computed } from 'vue';
import { mdiBookmarkOutline } from '@mdi/js';
import { presetOf } from '~~/core/recording/presets';
import { usePresets } from '~/transport/presets';
import { useKept } from '~/kept/kept';
import { useSong } from '~/song/song';
import NamedList from '~/kept/NamedList.vue';
import { vHint } from '~/controls/hint';

/** Ways of recording by name, and the way back to a plain new take. */
const song = useSong();
const presets = usePresets();
const kept = useKept();
const items = computed(() => {
  const now = JSON.stringify(presetOf(song.document!.brief));
  return kept.presets.map(({ name, value }) => ({ name, on: JSON.stringify(value) === now }));
});
const NONE =
  'None yet. A preset keeps the count, the wait, lead-in and lead-out, what happens to what is there, the loop’s ' +
  'laps and quantize; which part and which bars stay the song’s.';
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
    <Popup label="Presets of the brief" @update:model-value="(open: boolean) => open && kept.refresh()">
      <template #activator="{ props }"
        ><v-btn v-bind="props" size="small" variant="outlined"
          ><v-icon :icon="mdiBookmarkOutline" size="16" start />Presets</v-btn
        ></template
      >
      <div class="label">Presets of the brief</div>
      <NamedList
        :items="items"
        :none="NONE"
        :trouble="kept.unread"
        label="Keep the brief as"
        :keep="(name) => kept.keepPreset(name, song.document!.brief)"
        @use="(name) => presets.recall(kept.presets.find((p) => p.name === name)!.value)"
        @forget="kept.forgetPreset"
      />
    </Popup>
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
</style>
