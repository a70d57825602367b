<script setup lang="ts">
import { useOpenSong } from '~/song/openSong';
import { useSound } from '~/sound/sound';

/** Written key of the song, and the key that it is played in. */
const openSong = useOpenSong();
const sound = useSound();
</script>

<template>
  <section aria-label="Key">
    <div class="label">Key</div>
    <div class="sheet panel">
      <div class="row">
        <span>It came in</span>
        <KeySelect class="own" />
      </div>
      <TranspositionChoice />
      <p class="quiet small" role="status">
        <template v-if="sound.stretchShare !== null">Getting the backings ready in this key.</template>
        <template v-else-if="openSong.document.transposition.length > 0"
          >Parts, chords and backings sound in this key. What was played is kept as it is.</template
        >
        <template v-else>Parts, chords and backings go along, and come back.</template>
      </p>
    </div>
  </section>
</template>

<style scoped>
.panel {
  padding: 8px 12px;
  display: grid;
  gap: 6px;
}
.row {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 13px;
}
.own {
  flex: 1;
}
.small {
  font-size: 12px;
  margin: 0;
}
</style>
