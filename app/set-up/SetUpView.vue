<script setup lang="ts">
import { ref } from 'vue';
import { useHowFar } from '~/notices/howFar';
import { useSetup } from './setup';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';

/** Station for a song's backings, tempo, sections and click. */
const song = useSong();
const openSong = useOpenSong();
const setup = useSetup();
const far = useHowFar(() => (setup.listening ? setup.heardShare : null));
const PAGES = ['Backings', 'Tempo and meter', 'Sections', 'Written part', 'Click'] as const;
const page = ref<(typeof PAGES)[number]>('Backings');
</script>

<template>
  <div class="set-up">
    <div class="choices pages">
      <PageTabs v-model="page" label="Set up" :pages="PAGES" />
      <span class="quiet words">{{ openSong.document.notes.split('\n')[0] }}</span>
      <v-btn size="small" :to="`/songs/${song.id}/play`">To Play</v-btn>
    </div>
    <template v-if="page === 'Backings'">
      <WaveSheet v-if="setup.selected && !setup.selected.midi" :key="setup.selected.id" :backing="setup.selected" />
      <SongChart v-else />
    </template>
    <TempoChart v-else-if="page === 'Tempo and meter'" />
    <div v-else class="formed">
      <FormStrip v-if="page === 'Sections'" />
      <SongChart />
    </div>
    <aside class="side">
      <template v-if="page === 'Backings'">
        <div v-if="setup.listening && !setup.beats" class="sheet wait quiet" role="status">
          <span>Listening: {{ far }}</span>
          <v-progress-linear
            :model-value="100 * setup.heardShare"
            color="primary"
            height="6"
            rounded
            aria-label="How far the beats are"
          />
          <v-btn size="small" @click="setup.stopListening()">Stop</v-btn>
        </div>
        <BeatTools
          v-if="setup.beats && setup.selected && setup.beats.backing === setup.selected.id"
          :backing="setup.selected"
        />
        <BackingList />
        <KeyPanel />
        <TuningPanel />
      </template>
      <TempoTable v-else-if="page === 'Tempo and meter'" />
      <SectionList v-else-if="page === 'Sections'" />
      <WrittenPart v-else-if="page === 'Written part'" />
      <ClickPanel v-else />
    </aside>
    <MidiOffer />
    <TakesQuestion />
  </div>
</template>

<style scoped>
.set-up {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr) 316px;
  gap: 8px 16px;
  height: 100%;
}
.pages {
  grid-column: 1 / -1;
  align-items: center;
}
.words {
  flex: 1;
  font-size: 13px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  padding: 0 8px;
}
.side {
  display: grid;
  gap: 8px;
  align-content: start;
  overflow: auto;
  min-height: 0;
  padding-right: 2px;
}
.formed {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  gap: 8px;
  min-height: 0;
}
.formed > :last-child {
  grid-row: 2;
}
.wait {
  padding: 12px;
  display: grid;
  gap: 8px;
  justify-items: start;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .set-up {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    height: auto;
  }
}
</style>
