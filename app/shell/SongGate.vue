<script setup lang="ts">
import { useTimeoutFn } from '@vueuse/core';
import { onMounted, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useOpening } from '~/song/opening';
import { useHowFar } from '~/notices/howFar';
import { useNotices } from '~/notices/notices';
import { usePass } from '~/transport/pass';
import { useSession } from '~/transport/session';
import { stationPath } from './stations';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { wordsOf } from '~/api/api';

/** Opens the song of the URL, and shows its content once it is loaded. */
const song = useSong();
const opening = useOpening();
const session = useSession();
const sound = useSound();
const pass = usePass();
const notices = useNotices();
const router = useRouter();
const route = useRoute();
const trouble = ref('');
/** Delay after which an opening shows its progress and a way back. */
const LONG_MS = 1000;
const isLong = ref(false);
const { start: begin } = useTimeoutFn(() => (isLong.value = true), LONG_MS, { immediate: false });
const far = useHowFar(() => (song.id === route.params.id ? null : opening.share));

async function open(): Promise<void> {
  const id = String(route.params.id);
  trouble.value = '';
  if (song.id === id) return;
  isLong.value = false;
  begin();
  const before = song.document && pass.recording ? { id: song.id!, title: song.document.title } : null;
  try {
    await session.leave();
    await opening.load(id);
    if (before)
      notices.say(`The pass in ${before.title} ended when you left; what was played is kept there.`, 'plain', {
        action: { label: `Back to ${before.title}`, run: () => void router.push(stationPath('play', before.id)) },
      });
    void sound.loadSong();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
onMounted(open);
watch(() => route.params.id, open);
</script>

<template>
  <slot v-if="song.document && song.id === route.params.id" />
  <div v-else-if="trouble" class="state" role="alert">
    <h2>The song did not open</h2>
    <p>{{ trouble }}</p>
    <v-btn @click="open">Try again</v-btn> <v-btn to="/">To the Desk</v-btn>
  </div>
  <div v-else class="state quiet">
    <p role="status">{{ isLong && far ? `Opening the song: ${far}` : 'Opening the song' }}</p>
    <v-btn v-if="isLong" to="/">To the Desk</v-btn>
  </div>
</template>

<style scoped>
.state {
  padding: 40px;
  max-width: 520px;
  display: grid;
  gap: 10px;
  justify-items: start;
}
</style>
