<script setup lang="ts">
import { computed } from 'vue';
import { mdiBookmarkOutline } from '@mdi/js';
import { presetOf, type Preset } from '~~/core/recording/presets';
import { briefPhrases, shortBrief, type BriefControl } from '~~/core/recording/brief';
import { useOpenSong } from '~/song/openSong';
import { useShortcuts } from '~/shell/useShortcuts';
import { RECENT_KEYS, usePresets } from '~/transport/presets';
import { useKeyboards } from '~/keyboards/keyboards';
import { keyWords } from '~/transport/actions';
import { useKept } from '~/kept/kept';
import NamedList from '~/kept/NamedList.vue';
import { vHint } from '~/controls/hint';

/** Presets of the brief by name, and the way back to a plain new take. */
const openSong = useOpenSong();
const presets = usePresets();
const kept = useKept();
const keyboards = useKeyboards();
const items = computed(() => {
  const now = JSON.stringify(presetOf(openSong.document.brief));
  return kept.presets.map(({ name, value }) => ({ name, on: JSON.stringify(value) === now }));
});
/** A preset in words, as it would be in this song. */
const wordsOf = (way: Preset): string =>
  shortBrief(
    briefPhrases({
      song: { ...openSong.document, brief: { ...openSong.document.brief, ...way } },
      ...{ meter: openSong.maps.meter, end: openSong.maps.end, playhead: 0, keyboards: [] },
    })
      .filter(({ control }) => control && WAY.has(control))
      .map(({ text, control }) => ({ text, control: control! })),
  );
const WAY = new Set<BriefControl>(['count', 'wait', 'lead-in', 'mode', 'laps']);
useShortcuts(Object.fromEntries(RECENT_KEYS.map((key, i) => [key, () => presets.recallRecent(i)])));
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
      >Plain new take<ActionKey class="key" action="plain"
    /></v-btn>
    <Popup label="Presets of the brief" @update:model-value="(open: boolean) => open && kept.refresh()">
      <template #activator="{ props }"
        ><v-btn v-bind="props" size="small" variant="outlined"
          ><v-icon :icon="mdiBookmarkOutline" size="16" start />Presets</v-btn
        ></template
      >
      <template v-if="presets.recent.length">
        <div class="label">Used last</div>
        <button v-for="(way, i) in presets.recent" :key="i" class="recent" @click="presets.recallRecent(i)">
          <span>{{ wordsOf(way) }}</span><kbd>{{ keyWords(RECENT_KEYS[i]!, keyboards.computerPlays) }}</kbd>
        </button>
      </template>
      <div class="label">Presets of the brief</div>
      <NamedList
        :items="items"
        :none="NONE"
        :trouble="kept.unread"
        label="Keep the brief as"
        :keep="(name) => kept.keepPreset(name, openSong.document.brief)"
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
.recent {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  width: 100%;
  padding: 4px 2px;
  text-align: left;
  font-size: 13px;
}
.recent:hover {
  background: var(--rule-soft);
}
.key {
  margin-left: 6px;
}
</style>
