<script setup lang="ts">
import { onMounted } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useShortcuts, useComputerKeys } from '~/composables/useShortcuts';
import { useSession } from '~/stores/session';
import { useSong } from '~/stores/song';
import { useSound } from '~/stores/sound';
import { useNotices } from '~/stores/notices';
import { stationPath, STATIONS } from '~/utils/stations';

const session = useSession();
const song = useSong();
const sound = useSound();
const notices = useNotices();
const route = useRoute();
const router = useRouter();

onMounted(() => {
  // Every station is in the browser before it is needed: the server may be away by then.
  for (const { id } of STATIONS) void preloadRouteComponents(stationPath(id, 'any'));
  void session.start();
  void sound.load();
  // The browser lets sound start only after the person has done something.
  const wake = () => void sound.engine?.context.resume();
  window.addEventListener('pointerdown', wake);
  window.addEventListener('keydown', wake);
  // The key may come up in another window.
  window.addEventListener('blur', () => { session.asPlayed = false; });
});

function undo(): void {
  if (!song.undo()) notices.say('There is nothing to undo.', 'plain');
}

function go(index: number): void {
  const station = STATIONS[index];
  if (station && (song.id || station.id === 'desk')) void router.push(stationPath(station.id, song.id));
}

useShortcuts({
  ' ': () => void session.play(),
  r: () => void session.record(),
  u: undo,
  y: () => void song.redo(),
  home: () => session.seek(0),
  arrowleft: () => session.seekBars(-1),
  arrowright: () => session.seekBars(1),
  b: () => { session.asPlayed = true; },
  ...Object.fromEntries(STATIONS.map((_, i) => [String(i + 1), () => go(i)])),
}, { b: () => { session.asPlayed = false; } });
useComputerKeys();
</script>

<template>
  <v-app>
    <div class="desk">
      <StationHeader />
      <Notices />
      <main class="station" :key="route.path">
        <NuxtPage />
      </main>
      <Footplate @undo="undo" />
      <KeyStrip />
    </div>
  </v-app>
</template>

<style>
.desk { display: grid; grid-template-rows: 50px auto minmax(0, 1fr) 100px 34px; height: 100dvh; min-width: 720px; }
.station { min-height: 0; overflow: auto; padding: 12px 18px 8px; grid-row: 3; }
</style>
